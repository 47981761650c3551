/** Limits of a page's requests to its host. */
export interface FrameLimits {
  /** How long a page may take to initialize, in milliseconds. Default: 15,000. */
  initializeMs: number
  /** How long the host waits for a page that it removes, in milliseconds. Default: 1,000. */
  teardownMs: number
  /** How long a call of the page may take, in milliseconds. Default: 600,000. */
  callMs: number
  /** Messages of the page a second; twice as many at once. More end it. Default: 200. */
  messagesPerSecond: number
  /** Characters of one message, in either direction. Default: 8,000,000. */
  messageCharacters: number
  /** Characters that a page may tell the model. Default: 100,000. */
  modelCharacters: number
  /** Requests of the page that are answered at the same time. Default: 16. */
  requestsAtOnce: number
  /** Greatest height in CSS pixels. Default: 1,200. */
  maxHeight: number
}

export const frameLimits: FrameLimits = Object.freeze({
  initializeMs: 15_000,
  teardownMs: 1000,
  callMs: 600_000,
  messagesPerSecond: 200,
  messageCharacters: 8_000_000,
  modelCharacters: 100_000,
  requestsAtOnce: 16,
  maxHeight: 1200,
})

/** Lets so many things through a second, and twice as many at once. */
export class Rate {
  readonly #perSecond: number
  readonly #now: () => number
  #left: number
  #at: number

  constructor(perSecond: number, now: () => number = () => performance.now()) {
    this.#perSecond = perSecond
    this.#now = now
    this.#left = perSecond * 2
    this.#at = now()
  }

  take(): boolean {
    const now = this.#now()
    this.#left = Math.min(this.#perSecond * 2, this.#left + ((now - this.#at) / 1000) * this.#perSecond)
    this.#at = now
    if (this.#left < 1) return false
    this.#left--
    return true
  }
}
