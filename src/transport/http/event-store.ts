/** Keeps the events of a session's streams for clients that lost their connection. */
export interface EventStore {
  /** `event` is the complete event, `data` its data only. */
  append(stream: string, sequence: number, event: string, data: string): void
  /** Events of a stream after a number, oldest first. */
  after(stream: string, sequence: number): string[]
  drop(stream: string): void
  /** The stream ends after the event with this number. */
  finish?(stream: string, sequence: number): void
}

interface Kept {
  stream: string
  sequence: number
  event: string
}

/** Keeps the newest events in memory, limited by number and by characters. */
export class MemoryEventStore implements EventStore {
  readonly #maxEvents: number
  readonly #maxCharacters: number
  #kept: Kept[] = []
  #characters = 0

  constructor(maxEvents = 256, maxCharacters = 4 * 1024 * 1024) {
    this.#maxEvents = maxEvents
    this.#maxCharacters = maxCharacters
  }

  append(stream: string, sequence: number, event: string): void {
    this.#kept.push({ stream, sequence, event })
    this.#characters += event.length
    while (
      this.#kept.length > this.#maxEvents ||
      (this.#characters > this.#maxCharacters && this.#kept.length > 1)
    ) {
      this.#characters -= this.#kept.shift()?.event.length ?? 0
    }
  }

  after(stream: string, sequence: number): string[] {
    return this.#kept.filter((kept) => kept.stream === stream && kept.sequence > sequence).map((kept) => kept.event)
  }

  drop(stream: string): void {
    this.#kept = this.#kept.filter((kept) => kept.stream !== stream)
    this.#characters = this.#kept.reduce((sum, kept) => sum + kept.event.length, 0)
  }
}
