import { JexoError } from '../errors.js'

export const kitFileErrors = {
  kitFileMissing: (file: string) =>
    new JexoError('kit-file-missing', 'there is no such file', 'check the path', file),
  kitFileBroken: (file: string, reason: string, cause?: unknown) =>
    new JexoError('kit-file-broken', `it does not load: ${reason}`, 'fix the file and try again', file, { cause }),
  kitFileWithoutKit: (file: string, given: string) =>
    new JexoError(
      'kit-file-without-kit',
      `its default export is ${given}, not a kit`,
      'end it with: export default defineKit({ … })',
      file,
    ),
  environmentFileUnreadable: (file: string, reason: string) =>
    new JexoError(
      'environment-file-unreadable',
      `it cannot be read (${reason})`,
      'give a file with NAME=value lines',
      file,
    ),
}
