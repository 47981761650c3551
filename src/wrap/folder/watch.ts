import { relative, sep } from 'node:path'
import { type FSWatcher, watch } from 'chokidar'
import type { PathFilter } from './rules.js'

/** How long a file must be unchanged before it is read again. */
const stillMs = 100

/** Called for files that are created, changed or removed. Links are not followed. */
export class FolderWatch {
  readonly #watcher: FSWatcher
  readonly #timers = new Map<string, NodeJS.Timeout>()

  constructor(root: string, filter: PathFilter, onChange: (change: { path: string }) => void, onReady: () => void) {
    const pathOf = (place: string) => relative(root, place).split(sep).join('/')
    this.#watcher = watch(root, {
      ignoreInitial: true,
      followSymlinks: false,
      ignored: (place, found) => {
        const path = pathOf(place)
        if (path === '') return false
        return found?.isFile()
          ? !filter.takesFile(path)
          : found?.isDirectory() === true && !filter.entersFolder(path)
      },
    })
    const heard = (place: string) => {
      const path = pathOf(place)
      if (!filter.takesFile(path)) return
      clearTimeout(this.#timers.get(path))
      this.#timers.set(
        path,
        setTimeout(() => {
          this.#timers.delete(path)
          onChange({ path })
        }, stillMs),
      )
    }
    for (const event of ['add', 'change', 'unlink'] as const) this.#watcher.on(event, heard)
    this.#watcher.on('ready', onReady)
    this.#watcher.on('error', () => {})
  }

  async close(): Promise<void> {
    for (const timer of this.#timers.values()) clearTimeout(timer)
    await this.#watcher.close()
  }
}
