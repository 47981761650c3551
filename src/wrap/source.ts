import { isAbsolute, resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import { problems } from '../errors.js'

/** The file that a source names: a `file:` URL or an absolute path. A bare relative name is refused with the line to write instead. */
export function sourceFile(source: URL | string): string {
  if (source instanceof URL || source.startsWith('file:')) return fileURLToPath(source)
  if (!isAbsolute(source)) throw problems.sourceRelative(source)
  return resolve(source)
}
