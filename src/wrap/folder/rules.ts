import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ignore from 'ignore'

export interface FolderRules {
  /**
   * Files to leave out, in the syntax of `.gitignore`: `drafts/`, `*.tmp`, `!keep.tmp`. The folder's own `.gitignore`
   * applies too.
   */
  readonly except?: readonly string[]
  /** Includes only these, in the syntax of `.gitignore`: `*.md`. */
  readonly only?: readonly string[]
  /** Also includes files and folders whose names begin with a dot. */
  readonly hidden?: boolean
}

/** Which paths within a folder are included; paths are relative, with slashes. */
export interface PathFilter {
  takesFile(path: string): boolean
  entersFolder(path: string): boolean
}

export function pathFilter(root: string, rules: FolderRules): PathFilter {
  const own = join(root, '.gitignore')
  const left = ignore()
    .add(['.git/', 'node_modules/'])
    .add(existsSync(own) ? readFileSync(own, 'utf8') : '')
    .add([...(rules.except ?? [])])
  const taken = rules.only && rules.only.length > 0 ? ignore().add([...rules.only]) : undefined
  const isSeen = (path: string) => rules.hidden === true || !path.split('/').some((name) => name.startsWith('.'))
  return {
    takesFile: (path) => isSeen(path) && !left.ignores(path) && (taken === undefined || taken.ignores(path)),
    entersFolder: (path) => isSeen(path) && !left.ignores(`${path}/`),
  }
}
