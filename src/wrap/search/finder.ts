import { messageOf } from '../../errors.js'
import { fused } from './fuse.js'
import { isSqliteFile, SqliteVectors } from './sqlite-vectors.js'
import { type Embed, VectorIndex, type Vectors } from './vectors.js'
import { type Entry, type Hit, WordIndex } from './word-index.js'

export interface FinderOptions {
  /** Also finds texts with similar meaning: returns a vector for each text. */
  readonly embed?: Embed
  /**
   * File that stores the vectors between runs, `URL` or absolute path. With the ending `.sqlite`, they stay in libsql's
   * vector index instead of memory.
   */
  readonly vectors?: URL | string
}
export interface Found<Key> {
  readonly hits: readonly Hit<Key>[]
  /** Why some entries were found by words only. */
  readonly note?: string
}

/** Number of entries that are used from each of the two rankings. */
const depth = 50

/** Similarity search, if the author provides vectors; otherwise the search uses words only. */
export class Likeness<Key> {
  readonly #vectors: Vectors<Key> | undefined
  /** Why some vectors are missing. */
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

  /** Requests missing vectors; returns the reason if that fails. */
  async complete(signal: AbortSignal): Promise<string | undefined> {
    try {
      await this.#vectors?.complete(signal)
      this.#fault = undefined
    } catch (error) {
      this.#fault = messageOf(error)
    }
    return this.#fault
  }

  /** Combines the results by words and by similarity into one ranking. */
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

/** Finds short texts, such as rows, by words and by similarity. */
export class Finder<Key> {
  readonly #words = new WordIndex<Key>()
  readonly #likeness: Likeness<Key>

  constructor(options: FinderOptions) {
    this.#likeness = new Likeness(options)
  }

  get size(): number {
    return this.#words.size
  }

  /** `hasVector` is true if its vector is stored elsewhere. */
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
