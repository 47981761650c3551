import { encode } from '../../protocol/encoding.js'
import type { Message } from '../../protocol/messages.js'
import type { EventStore } from './event-store.js'
import type { Sink } from './exchange.js'
import type { HttpLimits } from './limits.js'
import { Outlet } from './outlet.js'

export const streamHeaders = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-cache, no-transform',
  'x-accel-buffering': 'no',
} as const

/** Delay after which a client should resume a stream. */
const retryMs = 1000

/** An event in wire format; one without data only has an id, from which a client can resume (R4). */
export const eventText = (stream: string, sequence: number, data: string): string =>
  data === ''
    ? `id: ${stream}-${sequence}\nretry: ${retryMs}\ndata: \n\n`
    : `id: ${stream}-${sequence}\nevent: message\ndata: ${data}\n\n`

/** The stream and the number of an event; undefined if the text is not an event id. */
export function readEventId(id: string): { stream: string; sequence: number } | undefined {
  const [, stream, sequence] = /^([\w.]{1,64})-(\d{1,15})$/.exec(id) ?? []
  return stream === undefined ? undefined : { stream, sequence: Number(sequence) }
}

/**
 * An event stream of a session: numbers its events, stores them for clients that resume, and writes them to the connected client. A dropped connection ends nothing (Transports, "Resumability and Redelivery").
 */
export class EventStream {
  readonly id: string
  readonly #store: EventStore
  readonly #outlet: Outlet
  #isPrimed = false
  #sequence = 0
  #isFinished = false
  /** Events sent before a client connected. */
  #unsent: string[] | undefined = []

  constructor(id: string, store: EventStore, limits: HttpLimits) {
    this.id = id
    this.#store = store
    this.#outlet = new Outlet(limits)
  }

  get isOpen(): boolean {
    return this.#outlet.isOpen
  }

  /** Connects a reader, and first sends it the events after a given one. A previous connection is closed. */
  attach(sink: Sink, missedAfter?: number): () => void {
    this.#outlet.attach(sink, this.#isPrimed)
    const missed = this.#unsent ?? (missedAfter === undefined ? [] : this.#store.after(this.id, missedAfter))
    this.#unsent = undefined
    for (const event of missed) sink.write(event)
    if (this.#isFinished) this.#outlet.end()
    return () => void this.#outlet.detach(sink)
  }

  /** Begins with an event that has an id and no data, from which a client can resume (R4). */
  prime(): void {
    this.#isPrimed = true
    this.#keep('')
  }

  send(message: Message | Message[]): void {
    this.#keep(encode(message))
  }

  /** Ends the stream. */
  finish(): void {
    if (this.#isFinished) return
    this.#isFinished = true
    this.#store.finish?.(this.id, this.#sequence)
    this.#outlet.end()
  }

  /** Closes the connection, since another process serves the client now. */
  release(): void {
    this.#outlet.end()
  }

  #keep(data: string): void {
    const event = eventText(this.id, ++this.#sequence, data)
    this.#store.append(this.id, this.#sequence, event, data)
    if (this.#unsent) this.#unsent.push(event)
    else this.#outlet.write(event)
  }
}
