import type { Sink } from './exchange.js'
import type { HttpLimits } from './limits.js'

/** The current connection of a stream, kept alive by heartbeats. */
export class Outlet {
  readonly #limits: HttpLimits
  #sink: Sink | undefined
  #heartbeat: ReturnType<typeof setInterval> | undefined
  #closing: ReturnType<typeof setTimeout> | undefined

  constructor(limits: HttpLimits) {
    this.#limits = limits
  }

  get isOpen(): boolean {
    return this.#sink !== undefined
  }

  /** Connects a client; a previous connection is closed. `isResumable` closes it after a while, if so configured. */
  attach(sink: Sink, isResumable: boolean): void {
    this.#sink?.end()
    this.#release()
    this.#sink = sink
    this.#heartbeat = setInterval(() => sink.write(': still here\n\n'), this.#limits.heartbeatMs)
    ;(this.#heartbeat as { unref?: () => void }).unref?.()
    if (isResumable && this.#limits.closeStreamAfterMs > 0)
      this.#closing = setTimeout(() => this.end(), this.#limits.closeStreamAfterMs)
  }

  write(text: string): void {
    this.#sink?.write(text)
  }

  end(): void {
    const sink = this.#sink
    this.#release()
    sink?.end()
  }

  /** The reader has gone. False if another one has connected since. */
  detach(sink: Sink): boolean {
    if (this.#sink !== sink) return false
    this.#release()
    return true
  }

  #release(): void {
    clearInterval(this.#heartbeat)
    clearTimeout(this.#closing)
    this.#sink = undefined
  }
}
