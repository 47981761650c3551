import { statSync } from 'node:fs'
import { folderRoot, readFolder } from './read.js'
import { type FolderRules, type PathFilter, pathFilter } from './rules.js'
import { FolderWatch } from './watch.js'

export interface FollowingOptions {
  readonly source: URL | string
  readonly rules: FolderRules
  readonly maxFiles: number
  readonly root: string
  readonly filter: PathFilter
  /** Paths of the files that were there at the last change. */
  known(): readonly string[]
  /** Called for a file that was added, changed or removed. */
  changed(path: string): Promise<void>
  /** Called if the folder was moved away and another took its place. */
  replaced(root: string, filter: PathFilter): void
}

/** Reports changes of a folder's files, also after another folder has taken its place. */
export class Following {
  readonly #options: FollowingOptions
  readonly #timer: NodeJS.Timeout
  #watch: FolderWatch
  /** Identity of the folder that is watched. */
  #identity: string | undefined

  constructor(options: FollowingOptions) {
    this.#options = options
    this.#watch = this.#watched(options.root, options.filter)
    this.#identity = identityOf(options.source)
    // The watcher does not report that the folder was replaced.
    this.#timer = setInterval(() => this.#checkIdentity(), rootEveryMs)
    this.#timer.unref()
  }

  async close(): Promise<void> {
    clearInterval(this.#timer)
    await this.#watch.close()
  }

  #watched(root: string, filter: PathFilter): FolderWatch {
    return new FolderWatch(
      root,
      filter,
      ({ path }) => void this.#options.changed(path),
      () => void this.#scanAgain().catch(() => {}),
    )
  }

  /** Finds changes from before the watcher was running. */
  async #scanAgain(): Promise<void> {
    const { source, rules, maxFiles, known, changed } = this.#options
    const { files } = await readFolder(source, rules, maxFiles)
    const found = new Set(files.map(({ path }) => path))
    for (const { path } of files) await changed(path)
    for (const path of known()) if (!found.has(path)) await changed(path)
  }

  #checkIdentity(): void {
    const { source, rules, replaced } = this.#options
    const now = identityOf(source)
    if (now === undefined || now === this.#identity) return
    try {
      const root = folderRoot(source)
      const filter = pathFilter(root, rules)
      replaced(root, filter)
      const former = this.#watch
      this.#watch = this.#watched(root, filter)
      this.#identity = now
      void former.close()
    } catch {
      // It is gone again; the next check will notice.
    }
  }
}

/** Interval of the check whether the folder is still the same, in milliseconds. */
const rootEveryMs = 1000

/** Identity of the folder at the source now; undefined if there is none. */
function identityOf(source: URL | string): string | undefined {
  try {
    const root = folderRoot(source)
    const { dev, ino } = statSync(root)
    return `${root} ${dev} ${ino}`
  } catch {
    return undefined
  }
}
