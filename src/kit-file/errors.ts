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
      'look for a top-level await that never ends in the file or its imports, or raise --load-timeout',
      file,
    ),
  kitFileEnds: (file: string, code: number) =>
    new JexoError(
      'kit-file-ends',
      `it ended the process while it was loaded (process.exit(${code}))`,
      'throw an error instead of ending the process',
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
      'use a file with NAME=value lines',
      file,
    ),
}
