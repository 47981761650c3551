import { existsSync } from 'node:fs'
import { watchSources } from '../kit-file/watch-sources.js'

/**
 * Calls `run` when a case or a source file of a kit has changed; runs do not overlap. Once all files are watched,
 * resolves to a function that ends the watching.
 */
export async function watchCases(words: readonly string[], run: () => Promise<void>): Promise<() => Promise<void>> {
  const { ready, close } = watchSources(
    words.filter((word) => existsSync(word)),
    run,
  )
  await ready
  return close
}
