/** The wait after the first failed start, doubled with each further one. */
const firstWaitMs = 500
const longestWaitMs = 30_000
/** A program that ends sooner than this after its start has failed to start. */
const briefMs = 5000

/** Decides when an ended process may be restarted: after a delay that grows with each failed start. */
export class Restarts {
  #failures = 0
  #waitsUntil = 0

  /** Milliseconds until the next start; 0 if it may start now. */
  get waitMs(): number {
    return Math.max(0, this.#waitsUntil - Date.now())
  }

  failed(): void {
    this.#waitsUntil = Date.now() + Math.min(firstWaitMs * 2 ** this.#failures, longestWaitMs)
    this.#failures++
  }

  /** Called after an unexpected end. A process that ran for a while may restart immediately. */
  ended(startedAt: number): void {
    if (Date.now() - startedAt < briefMs) this.failed()
    else this.#failures = 0
  }
}
