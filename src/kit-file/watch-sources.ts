import { once } from 'node:events'
import { watch } from 'chokidar'
import { type LoadedListener, onLoadedFile, stampOf } from './kit-file.js'

/** Several files may be saved together; a run begins this long after the last. */
const settleMs = 100
/** Watching a file begins a while after it is added. An edit before that causes no event, so files are compared then. */
const checksMs = [500, 3000, 10_000]

export interface SourceWatch {
  /** Resolved when the first files are watched. */
  readonly ready: Promise<unknown>
  close(): Promise<void>
}

/**
 * Calls `run` when one of the files, or a source file of a kit, has changed since it was loaded. Runs do not overlap.
 * `follow` reports the source files, those that are loaded already first.
 */
export function watchSources(
  files: readonly string[],
  run: () => Promise<void>,
  follow: (listener: LoadedListener) => () => void = onLoadedFile,
): SourceWatch {
  const stamps = new Map<string, string>()
  const checks = new Set<NodeJS.Timeout>()
  let timer: NodeJS.Timeout | undefined
  let work = Promise.resolve()
  const watcher = watch([...files], { ignoreInitial: true })
  const ready = once(watcher, 'ready')
  const changed = (file: string, stamp: string) => {
    stamps.set(file, stamp)
    clearTimeout(timer)
    timer = setTimeout(() => {
      work = work.then(run)
    }, settleMs)
  }
  const checkLater = (file: string, afterMs: number) => {
    const check = setTimeout(() => {
      checks.delete(check)
      const stamp = stampOf(file)
      if (stamp !== stamps.get(file)) changed(file, stamp)
    }, afterMs).unref()
    checks.add(check)
  }
  const stopListening = follow((file, stamp) => {
    stamps.set(file, stamp)
    watcher.add(file)
    for (const afterMs of checksMs) checkLater(file, afterMs)
  })
  watcher.on('all', (_event, file) => changed(file, stampOf(file)))
  return {
    ready,
    close: async () => {
      clearTimeout(timer)
      for (const check of checks) clearTimeout(check)
      stopListening()
      await watcher.close()
    },
  }
}
