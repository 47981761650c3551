import { JexoError, listOf } from '../errors.js'

export const playbackErrors = {
  nothingRecorded: (file: string) =>
    new JexoError(
      'tape-without-server',
      'the tape has no server session',
      'record one with jexo relay, jexo serve --tape or Loupe',
      file,
    ),
  targetMissing: (file: string, target: string, known: readonly string[]) =>
    new JexoError(
      'tape-without-server',
      `the tape has no target ${JSON.stringify(target)}`,
      `choose one of ${listOf(known)}`,
      file,
    ),
}
