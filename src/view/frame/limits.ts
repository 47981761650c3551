/** Limits of a view's requests to its host. */
export interface FrameLimits {
  /** Time limit for a view to initialize, in milliseconds. Default: 15,000. */
  initializeMs: number
  /** How long the host waits for a view that it removes, in milliseconds. Default: 1,000. */
  teardownMs: number
  /** Time limit of a call of the view, in milliseconds. Default: 600,000. */
  callMs: number
  /** Messages of the view per second, with bursts of twice as many. A view that exceeds it is ended. Default: 200. */
  messagesPerSecond: number
  /** Maximum length of a message in either direction, in characters. Default: 8,000,000. */
  messageCharacters: number
  /** Maximum length of text for the model, in characters. Default: 100,000. */
  modelCharacters: number
  /** Maximum number of concurrent requests of the view. Default: 16. */
  requestsAtOnce: number
  /** Maximum height in CSS pixels. Default: 1,200. */
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

/** Allows a number of events per second, with bursts of twice as many. */
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
