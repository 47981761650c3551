import { isJexoError, JexoError, listOf, messageOf } from '../../errors.js'

export const kitWriterErrors = {
  wrapTakesNothing: (source: string, reasons: string) =>
    new JexoError(
      'wrap-takes-nothing',
      `${reasons === '' ? 'it has no operations' : `none of its operations is included: ${reasons}`}`,
      'include other operations, or include writes with --writes (writes: true)',
      source,
    ),
  kitFileExists: (file: string) =>
    new JexoError(
      'kit-file-exists',
      'the file exists and was not written by jexo wrap',
      'choose another --out, or remove it first',
      file,
    ),
  kitFileEdited: (file: string) =>
    new JexoError(
      'kit-file-edited',
      'the file was edited after jexo wrap wrote it',
      'list changes of the source with --check and merge them by hand, or overwrite the file with --force',
      file,
    ),
  kitNotFound: (file: string, reason: string) =>
    new JexoError(
      'kit-not-found',
      reason,
      'add the source by hand: jexo wrap <source> --out another.kit.ts shows the lines',
      file,
    ),
  /** Why a kit does not load with another source; the temporary file no longer exists. */
  notAdded: (file: string, cause: unknown) =>
    isJexoError(cause) && cause.code === 'part-taken'
      ? new JexoError(cause.code, cause.problem, 'set --prefix, --only or --except', file, { cause })
      : new JexoError(
          'kit-not-found',
          `the kit does not load with the source: ${isJexoError(cause) ? cause.problem : messageOf(cause)}`,
          'the file was not changed',
          file,
          { cause },
        ),
  sourceThere: (file: string, source: string) =>
    new JexoError(
      'kit-file-exists',
      `${source} is already a source of the kit`,
      'edit its options in the file',
      file,
    ),
  oneSource: (option: string) =>
    new JexoError(
      'argument-unreadable',
      `${option} applies to one source, and several are given`,
      'wrap that source alone, and add the others with jexo add',
    ),
  sameNames: (name: string, first: string, second: string) =>
    new JexoError(
      'part-taken',
      `${first} and ${second} both have a part ${JSON.stringify(name)}`,
      'wrap one of them, and add the other with jexo add and --prefix, --only or --except',
    ),
  kitFileOfOthers: (file: string, sources: readonly string[]) =>
    new JexoError(
      'kit-file-unmarked',
      `it was written for ${listOf(sources)}`,
      'pass one of these sources, or add this one with jexo add',
      file,
    ),
  kitFileUnmarked: (file: string) =>
    new JexoError(
      'kit-file-unmarked',
      'it was not written by jexo wrap, so it cannot be compared with its source',
      'pass a file written with --out',
      file,
    ),
}
