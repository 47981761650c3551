import { JexoError } from '../errors.js'

export const kitFileErrors = {
  severalKitFiles: (files: readonly string[]) =>
    new JexoError(
      'kit-file-missing',
      `this folder has several kit files: ${files.join(', ')}`,
      'choose one with --to',
    ),
  kitFileMissing: (file: string) =>
    new JexoError('kit-file-missing', 'there is no such file', 'check the path', file),
  kitFileBroken: (file: string, reason: string, cause?: unknown) =>
    new JexoError('kit-file-broken', `it does not load: ${reason}`, 'fix the file and try again', file, { cause }),
  kitFileSlow: (file: string, limitMs: number) =>
    new JexoError(
      'kit-file-slow',
      `it did not finish loading within ${limitMs} ms`,
      'look for an await at the top of the file or of what it imports that never ends, or set --load-timeout',
      file,
    ),
  kitFileEnds: (file: string, code: number) =>
    new JexoError(
      'kit-file-ends',
      `it ended the process while it was loaded (process.exit(${code}))`,
      'let it throw an error instead, and end the process in a tool only',
      file,
    ),
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
