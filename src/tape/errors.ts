import { JexoError } from '../errors.js'

export const tapeErrors = {
  tapeUnreadable: (file: string, line: number, reason: string) =>
    new JexoError(
      'tape-unreadable',
      `line ${line} is not a valid tape entry: ${reason}`,
      'create tapes with jexo relay, jexo serve --tape or Loupe',
      file,
    ),
  tapeUnwritable: (file: string, reason: string) =>
    new JexoError(
      'tape-unwritable',
      `the tape cannot be written (${reason})`,
      'choose a file in an existing folder that you can write to',
      file,
    ),
}
