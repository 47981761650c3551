import { writeFileSync } from 'node:fs'
import { type LoadedListener, stampOf } from '../../src/kit-file/kit-file.js'
import { type SourceWatch, watchSources } from '../../src/kit-file/watch-sources.js'
import { written } from '../support/cli.js'

test('an edit made before the watching of a loaded file begins is noticed', async () => {
  const file = written('word.ts', "export const word = 'one'")
  const loaded = stampOf(file)
  const follow = (listener: LoadedListener) => {
    // Edited after it was loaded, and not touched afterwards.
    writeFileSync(file, "export const word = 'other'")
    listener(file, loaded)
    return () => {}
  }
  let watch: SourceWatch | undefined
  await new Promise<void>((ran) => {
    watch = watchSources([], async () => ran(), follow)
  })
  await watch?.close()
})
