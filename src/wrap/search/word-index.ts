import SearchableMap from 'minisearch/SearchableMap'
import { tellingWords, wordsOf } from './words.js'

/** An entry of the index: its words by weight. */
export interface Entry<Key> {
  readonly key: Key
  readonly text: string
  /** Titles: headings, a path. */
  readonly title: string
}
export interface Hit<Key> {
  readonly key: Key
  readonly score: number
}

/** Words of a title count this many times. */
const titleWeight = 3
/** Weights of a word that only begins with the searched one, and of one that differs by a letter. */
const prefixWeight = 0.4
const fuzzyWeight = 0.4
const shortestPrefix = 3
const shortestFuzzy = 5
/** Maximum number of similar words for one searched word. */
const mostVariants = 50
/** The usual constants of BM25: saturation of repeated words, and the penalty for long texts. */
const saturation = 1.2
const lengthWeight = 0.75
/** Bonus for entries that contain all words of a question; 0 for none. */
const coverage = 0.5
/** A posting: the number of an entry and the frequency of the word, combined in one number. */
const countBits = 256

/** Maximum number of words of a question. */
const mostWords = 32

/**
 * Finds entries by their words, ranked by BM25. The beginning of a word is sufficient; if nothing begins with it, one
 * letter may differ. Words are in MiniSearch's radix tree, which finds prefixes and similar words.
 */
export class WordIndex<Key> {
  readonly #terms = new SearchableMap<number[]>()
  /** The same tree, for looking up whole words. */
  readonly #exact = new Map<string, number[]>()
  /** By number; undefined for removed entries. */
  readonly #keys: (Key | undefined)[] = []
  readonly #lengths: number[] = []
  readonly #numbers = new Map<Key, number>()
  #next = 0
  #totalLength = 0
  #removed = 0

  get size(): number {
    return this.#numbers.size
  }

  /** Replaces the entry with the same key. */
  add({ key, text, title }: Entry<Key>): void {
    this.remove(key)
    const number = this.#next++
    const counts = new Map<string, number>()
    const words = wordsOf(text)
    for (const word of words) counts.set(word, (counts.get(word) ?? 0) + 1)
    for (const word of wordsOf(title)) counts.set(word, (counts.get(word) ?? 0) + titleWeight)
    for (const [word, count] of counts) {
      let postings = this.#exact.get(word)
      if (!postings) {
        postings = []
        this.#exact.set(word, postings)
        this.#terms.set(word, postings)
      }
      postings.push(number * countBits + Math.min(count, countBits - 1))
    }
    this.#keys[number] = key
    this.#lengths[number] = words.length
    this.#numbers.set(key, number)
    this.#totalLength += words.length
  }

  remove(key: Key): void {
    const number = this.#numbers.get(key)
    if (number === undefined) return
    this.#totalLength -= this.#lengths[number] ?? 0
    this.#numbers.delete(key)
    this.#keys[number] = undefined
    // Removed entries are cleaned up in batches, since that visits all words.
    if (++this.#removed > 1000 + this.size / 10) this.#sweep()
  }

  /** The best first; entries with all words come before those with some. */
  find(query: string, most: number, takes?: (key: Key) => boolean): Hit<Key>[] {
    const words = tellingWords(query)
    const scores = new Float64Array(this.#next)
    const matched = new Uint8Array(this.#next)
    for (const word of words.slice(0, mostWords)) {
      const best = this.#scoresOf(word)
      for (let number = 0; number < best.length; number++) {
        const score = best[number] as number
        if (score === 0) continue
        scores[number] = (scores[number] as number) + score
        matched[number] = (matched[number] as number) + 1
      }
    }
    const hits: Hit<Key>[] = []
    for (let number = 0; number < scores.length; number++) {
      const key = this.#keys[number]
      if (scores[number] === 0 || key === undefined || takes?.(key) === false) continue
      hits.push({
        key,
        score: (scores[number] as number) * ((matched[number] as number) / words.length) ** coverage,
      })
    }
    return hits.sort((a, b) => b.score - a.score).slice(0, most)
  }

  /** Score of each entry for a word, by its best variant. */
  #scoresOf(word: string): Float64Array {
    const best = new Float64Array(this.#next)
    const averageLength = this.#totalLength / Math.max(1, this.size) || 1
    for (const { postings, weight } of this.#variantsOf(word)) {
      const rarity = Math.log(1 + (this.size - postings.length + 0.5) / (postings.length + 0.5))
      const worth = weight * Math.max(rarity || 0, 0.01) * (saturation + 1)
      for (const posting of postings) {
        const number = Math.floor(posting / countBits)
        const count = posting % countBits
        const length = (this.#lengths[number] as number) / averageLength
        const score = (worth * count) / (count + saturation * (1 - lengthWeight + lengthWeight * length))
        if (score > (best[number] as number)) best[number] = score
      }
    }
    return best
  }

  #variantsOf(word: string): { postings: readonly number[]; weight: number }[] {
    const exact = this.#exact.get(word)
    const found = exact ? [{ postings: exact, weight: 1 }] : []
    if (word.length < shortestPrefix) return found
    for (const [term, postings] of this.#terms.atPrefix(word)) {
      if (found.length >= mostVariants) break
      if (term !== word) found.push({ postings, weight: prefixWeight * (word.length / term.length) })
    }
    if (found.length > 0 || word.length < shortestFuzzy) return found
    const near = [...this.#terms.fuzzyGet(word, word.length > 9 ? 2 : 1)].sort(([, a], [, b]) => a[1] - b[1])
    return near
      .slice(0, mostVariants)
      .map(([, [postings, distance]]) => ({ postings, weight: fuzzyWeight / Math.max(1, distance) }))
  }

  #sweep(): void {
    this.#removed = 0
    for (const [word, postings] of this.#exact) {
      const kept = postings.filter((posting) => this.#keys[Math.floor(posting / countBits)] !== undefined)
      if (kept.length === postings.length) continue
      postings.length = 0
      for (const posting of kept) postings.push(posting)
      if (kept.length === 0) {
        this.#exact.delete(word)
        this.#terms.delete(word)
      }
    }
  }
}
