import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { sourceFile } from '../source/source.js'
import type { Hit } from './word-index.js'

/** Converts texts to vectors of equal length, such as with a call of an embeddings endpoint. */
export type Embed = (texts: readonly string[], signal: AbortSignal) => Promise<readonly (readonly number[])[]>

/** Stores the vectors of entries and finds the nearest ones. */
export interface Vectors<Key> {
  add(key: Key, text: string): void
  remove(key: Key): void
  /** Requests missing vectors. Rejects if the author's function does. */
  complete(signal: AbortSignal): Promise<void>
  /** The entries with the vectors closest to the query's, best first. */
  find(query: string, most: number, signal: AbortSignal, takes?: (key: Key) => boolean): Promise<Hit<Key>[]>
}

const textsAtOnce = 64

/** Vectors of entries, stored by the hash of their text, so that unchanged texts need no new vector. */
export class VectorIndex<Key> implements Vectors<Key> {
  readonly #embed: Embed
  readonly #file: string | undefined
  readonly #byHash = new Map<string, Float32Array>()
  readonly #entries = new Map<Key, { readonly hash: string; readonly text: string }>()

  /** With a file, vectors are kept between runs. */
  constructor(embed: Embed, file?: URL | string) {
    this.#embed = embed
    this.#file = file === undefined ? undefined : sourceFile(file)
    if (this.#file !== undefined && existsSync(this.#file)) this.#load(this.#file)
  }

  add(key: Key, text: string): void {
    this.#entries.set(key, { hash: hashOf(text), text })
  }

  remove(key: Key): void {
    this.#entries.delete(key)
  }

  /** Requests missing vectors. Rejects if the author's function does. */
  async complete(signal: AbortSignal): Promise<void> {
    const missing = new Map<string, string>()
    for (const { hash, text } of this.#entries.values()) if (!this.#byHash.has(hash)) missing.set(hash, text)
    await embedMissing(this.#embed, missing, signal, (vectors) => {
      for (const [hash, vector] of vectors) this.#byHash.set(hash, unitVector(vector))
    })
    if (missing.size > 0) this.#save()
  }

  /** The entries with the vectors closest to the query's, best first. */
  async find(query: string, most: number, signal: AbortSignal, takes?: (key: Key) => boolean): Promise<Hit<Key>[]> {
    if (this.#entries.size === 0) return []
    const [vector] = await this.#embed([query], signal)
    const wanted = unitVector(vector ?? [])
    const hits: Hit<Key>[] = []
    for (const [key, { hash }] of this.#entries) {
      const known = this.#byHash.get(hash)
      if (!known || known.length !== wanted.length || takes?.(key) === false) continue
      let score = 0
      for (let at = 0; at < known.length; at++) score += (known[at] as number) * (wanted[at] as number)
      hits.push({ key, score })
    }
    return hits.sort((a, b) => b.score - a.score).slice(0, most)
  }

  #load(file: string): void {
    for (const line of readFileSync(file, 'utf8').split('\n')) {
      const [hash, encoded] = line.split(' ')
      if (!hash || !encoded) continue
      const bytes = new Uint8Array(Buffer.from(encoded, 'base64'))
      this.#byHash.set(hash, new Float32Array(bytes.buffer, 0, Math.floor(bytes.length / 4)))
    }
  }

  /** Keeps only the vectors of existing entries. */
  #save(): void {
    if (this.#file === undefined) return
    const used = new Set([...this.#entries.values()].map(({ hash }) => hash))
    const lines = [...this.#byHash].flatMap(([hash, vector]) =>
      used.has(hash)
        ? [`${hash} ${Buffer.from(vector.buffer, vector.byteOffset, vector.byteLength).toString('base64')}`]
        : [],
    )
    writeFileSync(this.#file, `${lines.join('\n')}\n`)
  }
}

function unitVector(vector: readonly number[]): Float32Array {
  const length = Math.hypot(...vector) || 1
  return Float32Array.from(vector, (value) => value / length)
}

/** The key of a text. */
export const hashOf = (text: string): string => createHash('sha256').update(text).digest('base64url').slice(0, 22)

/**
 * Requests the vectors of texts by their hashes, in batches. Rejects if the author's function rejects, or returns a
 * wrong number of vectors.
 */
export async function embedMissing(
  embed: Embed,
  missing: ReadonlyMap<string, string>,
  signal: AbortSignal,
  store: (vectors: readonly (readonly [hash: string, vector: readonly number[]])[]) => void,
): Promise<void> {
  const all = [...missing]
  for (let from = 0; from < all.length; from += textsAtOnce) {
    signal.throwIfAborted()
    const some = all.slice(from, from + textsAtOnce)
    const texts = some.map(([, text]) => text)
    const vectors = await embed(texts, signal)
    if (vectors.length !== some.length)
      throw new Error(
        `embed returned ${vectors.length} vectors for ${some.length} texts; it must return one per text`,
      )
    store(some.map(([hash], at) => [hash, vectors[at] ?? []]))
  }
}
