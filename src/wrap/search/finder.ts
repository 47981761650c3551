import { messageOf } from '../../errors.js'
import { fused } from './fuse.js'
import { isSqliteFile, SqliteVectors } from './sqlite-vectors.js'
import { type Embed, VectorIndex, type Vectors } from './vectors.js'
import { type Entry, type Hit, WordIndex } from './word-index.js'

export interface FinderOptions {
  /** Finds by likeness of meaning too: gives a vector for each text. */
  readonly embed?: Embed
  /** File that keeps the vectors between runs, `URL` or absolute path. With the ending `.sqlite`, they stay in libsql's vector index instead of memory. */
  readonly vectors?: URL | string
}
export interface Found<Key> {
  readonly hits: readonly Hit<Key>[]
  /** Why some were found by their words only. */
  readonly note?: string
}

/** How deep each of two rankings is looked into. */
const depth = 50

/** Similarity search, if the author provides vectors; otherwise the search uses words only. */
export class Likeness<Key> {
  readonly #vectors: Vectors<Key> | undefined
  /** Why there are no vectors for all of them. */
  #fault: string | undefined

  constructor({ embed, vectors }: FinderOptions) {
    this.#vectors = embed ? vectorsFor(embed, vectors) : undefined
  }

  get isOn(): boolean {
    return this.#vectors !== undefined
  }

  add(key: Key, text: string): void {
    this.#vectors?.add(key, text)
  }

  remove(key: Key): void {
    this.#vectors?.remove(key)
  }

  /** Asks for the vectors that are missing; returns the reason if there are none to be had. */
  async complete(signal: AbortSignal): Promise<string | undefined> {
    try {
      await this.#vectors?.complete(signal)
      this.#fault = undefined
    } catch (error) {
      this.#fault = messageOf(error)
    }
    return this.#fault
  }

  /** One ranking of what was found by words and what is alike. */
  async fusedWith(
    byWords: readonly Hit<Key>[],
    query: string,
    signal: AbortSignal,
    takes?: (key: Key) => boolean,
  ): Promise<Found<Key>> {
    if (!this.#vectors) return { hits: byWords }
    try {
      const byLikeness = await this.#vectors.find(query, depth, signal, takes)
      return {
        hits: fused([byWords, byLikeness]),
        ...(this.#fault === undefined ? {} : { note: byWordsOnly(this.#fault) }),
      }
    } catch (error) {
      signal.throwIfAborted()
      return { hits: byWords, note: byWordsOnly(messageOf(error)) }
    }
  }
}

function vectorsFor<Key>(embed: Embed, file: URL | string | undefined): Vectors<Key> {
  return file !== undefined && isSqliteFile(file) ? new SqliteVectors(embed, file) : new VectorIndex(embed, file)
}

export const byWordsOnly = (reason: string) => `Searched by words only, because there are no vectors: ${reason}`

/** Finds short texts, such as rows, by their words and by likeness. */
export class Finder<Key> {
  readonly #words = new WordIndex<Key>()
  readonly #likeness: Likeness<Key>

  constructor(options: FinderOptions) {
    this.#likeness = new Likeness(options)
  }

  get size(): number {
    return this.#words.size
  }

  /** `hasVector` is true if its vector is somewhere else. */
  add(entry: Entry<Key>, hasVector = false): void {
    this.#words.add(entry)
    if (!hasVector) this.#likeness.add(entry.key, entry.text)
  }

  complete(signal: AbortSignal): Promise<string | undefined> {
    return this.#likeness.complete(signal)
  }

  async find(query: string, most: number, signal: AbortSignal): Promise<Found<Key>> {
    const byWords = this.#words.find(query, this.#likeness.isOn ? depth : most)
    const { hits, ...rest } = await this.#likeness.fusedWith(byWords, query, signal)
    return { hits: hits.slice(0, most), ...rest }
  }
}
