import { isAbsolute, resolve } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { sourceErrors } from './errors.js'

/**
 * The file that a source names: a `file:` URL or an absolute path. A relative name is refused, with the correct form in
 * the error.
 */
export function sourceFile(source: URL | string): string {
  if (source instanceof URL || source.startsWith('file:')) return fileURLToPath(source)
  if (!isAbsolute(source)) throw sourceErrors.sourceRelative(source)
  return resolve(source)
}

/** The same for sources that may also be remote: an `http:` or `https:` URL stays one. */
export function sourceUrl(source: URL | string): URL {
  const isRemote = source instanceof URL ? source.protocol !== 'file:' : /^https?:\/\//.test(source)
  return isRemote ? new URL(source) : pathToFileURL(sourceFile(source))
}
