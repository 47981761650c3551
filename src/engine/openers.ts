import { isJexoError, messageOf } from '../errors.js'
import type { Shared, SharedThings } from '../kit/shared.js'

const firstPauseMs = 1000
const longestPauseMs = 30_000

/** Opens shared connections in the background and retries failures. Logs a failure and the recovery once. */
export class Openers {
  readonly #report: (level: 'info' | 'warning', text: string) => void
  readonly #timers = new Map<Shared<unknown>, ReturnType<typeof setTimeout> | undefined>()
  #isClosed = false

  constructor(report: (level: 'info' | 'warning', text: string) => void) {
    this.#report = report
  }

  keepOpen(things: SharedThings, declared: Shared<unknown>): void {
    if (this.#isClosed || this.#timers.has(declared)) return
    this.#timers.set(declared, undefined)
    void this.#attempt(things, declared, 0)
  }

  close(): void {
    this.#isClosed = true
    for (const timer of this.#timers.values()) clearTimeout(timer)
  }

  async #attempt(things: SharedThings, declared: Shared<unknown>, failures: number): Promise<void> {
    try {
      await things.use(declared)
      this.#timers.delete(declared)
      if (failures > 0) this.#report('info', 'a shared connection that failed earlier is now open')
    } catch (error) {
      if (this.#isClosed) return
      if (failures === 0) this.#report('warning', `${reasonOf(error)} Its parts report this until it connects.`)
      const timer = setTimeout(
        () => void this.#attempt(things, declared, failures + 1),
        Math.min(longestPauseMs, firstPauseMs * 2 ** failures),
      )
      const { unref } = timer as { unref?: () => void }
      unref?.call(timer)
      this.#timers.set(declared, timer)
    }
  }
}

const reasonOf = (error: unknown): string => (isJexoError(error) ? error.message : `${messageOf(error)}.`)
