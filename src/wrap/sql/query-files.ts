import { readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { moduleErrors } from '../module/errors.js'
import { sourceFile } from '../source/source.js'

/** A file, or all files of a folder, by name. */
export function queryFiles(source: URL | string): string[] {
  const path = sourceFile(source)
  const found = statSync(path, { throwIfNoEntry: false })
  if (!found) throw moduleErrors.sourceMissing(path)
  if (!found.isDirectory()) return [path]
  return readdirSync(path)
    .filter((name) => /\.sql$/i.test(name))
    .sort()
    .map((name) => join(path, name))
}
