import { messageOf } from '../errors.js'
import type { Shared, SharedThings } from '../kit/shared.js'

export interface RefreshesHost {
  report(level: 'info' | 'warning', text: string): void
  /** Has all processes of the server refresh together; false if there are no others, or no store. */
  repeat(name: string, everyMs: number): boolean
}

/** Reopens shared connections at an interval while they are in use. */
export class Refreshes {
  readonly #things: SharedThings
  readonly #host: RefreshesHost
  readonly #named = new Map<string, Shared<unknown>>()
  readonly #timers: ReturnType<typeof setInterval>[] = []

  constructor(things: SharedThings, host: RefreshesHost) {
    this.#things = things
    this.#host = host
  }

  /** A connection was opened for the first time. */
  opened(declared: Shared<unknown>): void {
    const { refresh } = declared
    if (!refresh || this.#named.has(refresh.name)) return
    this.#named.set(refresh.name, declared)
    if (this.#host.repeat(refresh.name, refresh.everyMs)) return
    const timer = setInterval(() => void this.refresh(refresh.name), refresh.everyMs)
    ;(timer as { unref?: () => void }).unref?.()
    this.#timers.push(timer)
  }

  /** Reopens the connection with that name if this process uses it. If opening fails, the previous one stays in use. */
  async refresh(name: string): Promise<void> {
    const declared = this.#named.get(name)
    if (!declared) return
    try {
      await this.#things.refresh(declared)
    } catch (error) {
      this.#host.report(
        'warning',
        `${name} could not be refreshed, the previous one stays in use: ${messageOf(error)}`,
      )
    }
  }

  close(): void {
    for (const timer of this.#timers) clearInterval(timer)
  }
}
