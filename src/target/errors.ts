import { JexoError, listOf } from '../errors.js'

export const targetErrors = {
  notAServer: (label: string) =>
    new JexoError(
      'target-unknown',
      `${label} is not a server`,
      'use a URL, exec:<command line> or <host config file>#<entry>',
    ),
  fileUnreadable: (file: string, reason: string) =>
    new JexoError('target-unreadable', `it cannot be read (${reason})`, 'check the permissions of the file', file),
  tapeAsTarget: (file: string) =>
    new JexoError(
      'tape-as-target',
      'a tape is a recording, not a server',
      'open it with jexo show or jexo loupe, or use the recorded server as the target',
      file,
    ),
  layersElsewhere: (target: string) =>
    new JexoError(
      'layers-elsewhere',
      `--no-layers works only for kit files, and ${target} is not one`,
      'omit --no-layers, or use the kit file as the target',
    ),
  argumentFileMissing: (file: string) =>
    new JexoError(
      'argument-file-missing',
      'there is no such file',
      'check the path; to pass text that begins with @, write @@',
      file,
    ),
  argumentFileLarge: (file: string, maxBytes: number) =>
    new JexoError('argument-file-large', `it is larger than ${maxBytes / 1e6} MB`, 'pass a smaller file', file),
  argumentUnknown: (given: string, tool: string, known: readonly string[]) =>
    new JexoError(
      'argument-unknown',
      `${tool} has no argument "${given}"`,
      known.length > 0 ? `its arguments are ${listOf(known)}` : 'it has no arguments',
    ),
}
