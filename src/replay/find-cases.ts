import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { replayErrors } from './errors.js'

const suffix = /\.case\.ya?ml$/

/** Case files, given by name or by folder, sorted. Rejects with a `JexoError` if there are none. */
export async function findCases(words: readonly string[]): Promise<string[]> {
  const found: string[] = []
  for (const word of words) {
    const kind = await stat(word).catch(() => undefined)
    if (!kind) throw replayErrors.caseUnreadable(word, 'there is no such file or folder')
    if (!kind.isDirectory()) found.push(word)
    else {
      const entries = await readdir(word, { recursive: true })
      found.push(
        ...entries
          .filter((name) => suffix.test(name) && !name.includes('node_modules'))
          .map((name) => join(word, name)),
      )
    }
  }
  if (found.length === 0)
    throw replayErrors.caseUnreadable(words.join(', '), 'there are no case files (*.case.yaml)')
  return [...new Set(found)].sort()
}
