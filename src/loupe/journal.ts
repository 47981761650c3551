import type { Message } from '../protocol/messages.js'

/** What happened at a target, in the order it happened. The page draws its score from these alone. */
export type JournalEvent =
  | { kind: 'message'; from: 'client' | 'server'; message: Message; bytes: number }
  | { kind: 'stderr'; text: string }
  | { kind: 'state'; state: TargetState; text: string }
export type TargetState = 'connecting' | 'open' | 'closed'

export type JournalEntry = JournalEvent & {
  sequence: number
  /** Milliseconds since 1970, with fractions. */
  at: number
  /** Id of the target it happened at. */
  target: string
}

/** Keeps the newest entries and tells listeners of each new one. */
export class Journal {
  readonly #most: number
  readonly #listeners = new Set<(entry: JournalEntry) => void>()
  #entries: JournalEntry[] = []
  #sequence = 0

  constructor(most = 20_000) {
    this.#most = most
  }

  add(target: string, event: JournalEvent): void {
    const entry: JournalEntry = {
      ...event,
      sequence: ++this.#sequence,
      at: performance.timeOrigin + performance.now(),
      target,
    }
    this.#entries.push(entry)
    if (this.#entries.length > this.#most * 1.1) this.#entries = this.#entries.slice(-this.#most)
    for (const listener of this.#listeners) listener(entry)
  }

  after(sequence: number): readonly JournalEntry[] {
    return this.#entries.filter((entry) => entry.sequence > sequence)
  }

  listen(listener: (entry: JournalEntry) => void): () => void {
    this.#listeners.add(listener)
    return () => this.#listeners.delete(listener)
  }
}
