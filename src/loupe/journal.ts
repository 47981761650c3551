import { now, type TapeEntry, type TapeEvent } from '../tape/entry.js'
import { slimmed, wholeUpToBytes } from './slim.js'

export type { TapeEntry as JournalEntry, TapeEvent as JournalEvent, TargetState } from '../tape/entry.js'

/**
 * Keeps the newest entries, and notifies listeners of new ones in batches. The newest large messages are kept
 * completely, up to a limit; of older ones, only the beginning is kept.
 */
export class Journal {
  readonly #most: number
  readonly #mostLargeBytes: number
  /** Sequence numbers of the large messages that are kept whole, and the sum of their sizes. */
  readonly #large: number[] = []
  #largeBytes = 0
  readonly #listeners = new Set<(entries: readonly TapeEntry[]) => void>()
  #entries: TapeEntry[] = []
  #sequence = 0
  #untold: TapeEntry[] = []

  constructor(most = 60_000, mostLargeBytes = 256 * 1024 * 1024) {
    this.#most = most
    this.#mostLargeBytes = mostLargeBytes
  }

  /** Adds an event; returns its sequence number. */
  add(target: string, event: TapeEvent, at = now()): number {
    const entry: TapeEntry = { ...event, sequence: ++this.#sequence, at, target }
    this.#entries.push(entry)
    if (this.#entries.length > this.#most * 1.1) this.#entries = this.#entries.slice(-this.#most)
    this.#makeRoom(entry)
    if (this.#untold.push(entry) === 1) setImmediate(() => this.#tell())
    return entry.sequence
  }

  get all(): readonly TapeEntry[] {
    return this.#entries
  }

  /** Up to `most` entries after a sequence number. */
  after(sequence: number, most = Number.POSITIVE_INFINITY): readonly TapeEntry[] {
    // Sequence numbers are consecutive, so the index can be computed.
    const from = Math.max(0, sequence + 1 - (this.#entries[0]?.sequence ?? 0))
    return this.#entries.slice(from, from + most)
  }

  find(sequence: number): TapeEntry | undefined {
    const first = this.#entries[0]?.sequence ?? 0
    return this.#entries[sequence - first]
  }

  listen(listener: (entries: readonly TapeEntry[]) => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }

  #makeRoom(entry: TapeEntry): void {
    if (entry.kind !== 'message' || entry.bytes <= wholeUpToBytes) return
    this.#large.push(entry.sequence)
    this.#largeBytes += entry.bytes
    while (this.#largeBytes > this.#mostLargeBytes && this.#large.length > 1) {
      const sequence = this.#large.shift() ?? 0
      const at = sequence - (this.#entries[0]?.sequence ?? 0)
      const old = this.#entries[at]
      if (old?.kind !== 'message') continue
      this.#largeBytes -= old.bytes
      this.#entries[at] = slimmed(old)
    }
  }

  #tell(): void {
    const entries = this.#untold
    this.#untold = []
    for (const listener of this.#listeners) listener(entries)
  }
}
