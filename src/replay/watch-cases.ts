import { once } from 'node:events'
import { existsSync } from 'node:fs'
import { type FSWatcher, watch } from 'chokidar'
import { onLoadedFile } from '../kit-file/kit-file.js'

const settleMs = 120

/**
 * Calls `run` when a case or a source file of a kit has changed; runs do not overlap. Once all files are watched,
 * resolves to a function that ends the watching.
 */
export async function watchCases(words: readonly string[], run: () => Promise<void>): Promise<() => Promise<void>> {
  const loaded: string[] = []
  let watcher: FSWatcher | undefined
  const stopListening = onLoadedFile((file) => (watcher ? void watcher.add(file) : loaded.push(file)))
  watcher = watch([...words.filter((word) => existsSync(word)), ...loaded], { ignoreInitial: true })
  await once(watcher, 'ready')
  let timer: NodeJS.Timeout | undefined
  let work = Promise.resolve()
  watcher.on('all', () => {
    clearTimeout(timer)
    timer = setTimeout(() => {
      work = work.then(run)
    }, settleMs)
  })
  return async () => {
    clearTimeout(timer)
    stopListening()
    await watcher?.close()
  }
}
