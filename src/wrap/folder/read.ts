import { realpathSync, statSync } from 'node:fs'
import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { moduleErrors } from '../module/errors.js'
import { sourceFile } from '../source/source.js'
import { mimeTypeOf } from './media.js'
import { type FolderRules, type PathFilter, pathFilter } from './rules.js'

/** A file of a folder; its path is relative, with slashes. */
export interface FolderFile {
  readonly path: string
  readonly bytes: number
  readonly modifiedMs: number
  readonly mimeType: string
}
export interface FolderReading {
  readonly root: string
  readonly filter: PathFilter
  /** Sorted by path. */
  readonly files: readonly FolderFile[]
  /** True if there are more files than the limit. */
  readonly isCut: boolean
}

/** The folder of a source, as a real path. Throws a `JexoError` if there is none. */
export function folderRoot(source: URL | string): string {
  const path = sourceFile(source)
  const found = statSync(path, { throwIfNoEntry: false })
  if (!found) throw moduleErrors.sourceMissing(path)
  if (!found.isDirectory()) throw moduleErrors.sourceUnreadable(path, 'it is not a folder')
  return realpathSync(path)
}

/** Number of files that are examined concurrently. */
const atOnce = 32

/** Scans a folder: the included files, without links. */
export async function readFolder(
  source: URL | string,
  rules: FolderRules,
  maxFiles: number,
  signal?: AbortSignal,
): Promise<FolderReading> {
  const root = folderRoot(source)
  const filter = pathFilter(root, rules)
  const paths: string[] = []
  const waiting = ['']
  let isCut = false
  for (let at = waiting.shift(); at !== undefined; at = waiting.shift()) {
    signal?.throwIfAborted()
    for (const entry of await readdir(join(root, at), { withFileTypes: true }).catch(() => [])) {
      const path = at === '' ? entry.name : `${at}/${entry.name}`
      if (entry.isDirectory() && filter.entersFolder(path)) waiting.push(path)
      else if (entry.isFile() && filter.takesFile(path)) {
        if (paths.length < maxFiles) paths.push(path)
        else isCut = true
      }
    }
    if (isCut) break
  }
  const files: FolderFile[] = []
  for (let from = 0; from < paths.length; from += atOnce) {
    const some = await Promise.all(paths.slice(from, from + atOnce).map((path) => fileAt(root, path)))
    files.push(...some.filter((file) => file !== undefined))
  }
  files.sort((a, b) => (a.path < b.path ? -1 : 1))
  return { root, filter, files, isCut }
}

/** Properties of a file; undefined if it no longer exists. */
export async function fileAt(root: string, path: string): Promise<FolderFile | undefined> {
  const found = await stat(join(root, ...path.split('/'))).catch(() => undefined)
  return found?.isFile()
    ? { path, bytes: found.size, modifiedMs: found.mtimeMs, mimeType: mimeTypeOf(path) }
    : undefined
}
