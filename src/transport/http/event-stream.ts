import type { Message } from '../../protocol/messages.js'
import type { EventStore } from './event-store.js'
import type { Sink } from './exchange.js'
import type { HttpLimits } from './limits.js'

export const streamHeaders = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-cache, no-transform',
  'x-accel-buffering': 'no',
} as const

/** How long a client shall wait before it resumes a stream. */
const retryMs = 1000

/**
 * One event stream of a session: numbers its events, keeps them for a client that comes back, and writes them to
 * whoever is connected now. A dropped connection ends nothing (Transports, "Resumability and Redelivery").
 */
export class EventStream {
  readonly id: string
  readonly #store: EventStore
  readonly #limits: HttpLimits
  #closing: ReturnType<typeof setTimeout> | undefined
  #isPrimed = false
  #sequence = 0
  #sink: Sink | undefined
  #heartbeat: ReturnType<typeof setInterval> | undefined
  #isFinished = false
  /** What was sent before anybody was connected. */
  #unsent: string[] | undefined = []

  constructor(id: string, store: EventStore, limits: HttpLimits) {
    this.id = id
    this.#store = store
    this.#limits = limits
  }

  get isOpen(): boolean {
    return this.#sink !== undefined
  }

  /** Connects a reader, first giving it what it missed after an event. A reader that was there before is let go. */
  attach(sink: Sink, missedAfter?: number): () => void {
    this.#sink?.end()
    this.#sink = sink
    clearInterval(this.#heartbeat)
    this.#heartbeat = setInterval(() => sink.write(': still here\n\n'), this.#limits.heartbeatMs)
    ;(this.#heartbeat as { unref?: () => void }).unref?.()
    if (this.#isPrimed && this.#limits.closeStreamAfterMs > 0) {
      this.#closing = setTimeout(() => this.#end(), this.#limits.closeStreamAfterMs)
    }
    const missed = this.#unsent ?? (missedAfter === undefined ? [] : this.#store.after(this.id, missedAfter))
    this.#unsent = undefined
    for (const event of missed) sink.write(event)
    if (this.#isFinished) this.#end()
    return () => {
      if (this.#sink === sink) this.#detach()
    }
  }

  /** Begins with an event that has an id and no data, from which a client can resume (R4). */
  prime(): void {
    this.#isPrimed = true
    const event = `id: ${this.#nextId()}\nretry: ${retryMs}\ndata: \n\n`
    this.#keep(event)
  }

  send(message: Message | Message[]): void {
    this.#keep(`id: ${this.#nextId()}\nevent: message\ndata: ${JSON.stringify(message)}\n\n`)
  }

  /** Nothing more will be sent. */
  finish(): void {
    this.#isFinished = true
    this.#end()
  }

  #nextId(): string {
    return `${this.id}-${++this.#sequence}`
  }

  #keep(event: string): void {
    this.#store.append(this.id, this.#sequence, event)
    if (this.#unsent) this.#unsent.push(event)
    else this.#sink?.write(event)
  }

  #end(): void {
    const sink = this.#sink
    this.#detach()
    sink?.end()
  }

  #detach(): void {
    clearInterval(this.#heartbeat)
    clearTimeout(this.#closing)
    this.#sink = undefined
  }
}
