import { JexoError } from '../../errors.js'

export const kitWriterErrors = {
  wrapTakesNothing: (source: string, reasons: string) =>
    new JexoError(
      'wrap-takes-nothing',
      `${reasons === '' ? 'it has no operations' : `none of its operations is included: ${reasons}`}`,
      'choose others, or include writes with --writes (writes: true)',
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
  kitFileUnmarked: (file: string) =>
    new JexoError(
      'kit-file-unmarked',
      'it was not written by jexo wrap, so there is nothing to compare it with',
      'give a file written with --out',
      file,
    ),
}
