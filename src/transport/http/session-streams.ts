import type { Message } from '../../protocol/messages.js'
import { MemoryEventStore } from './event-store.js'
import { EventStream, readEventId, streamHeaders } from './event-stream.js'
import type { HttpResponse } from './exchange.js'
import type { HttpLimits } from './limits.js'

/** The event streams of one session, and its queued messages. */
export interface SessionStreams {
  /** Number of streams with a connected client. */
  readonly open: number
  /** A stream for messages that belong to the requests of one POST. */
  forReply(): EventStream
  /** Sends a message that belongs to no request. */
  send(message: Message): void
  /**
   * A standing stream for messages that belong to no request; queued ones are sent first. Undefined if there are too
   * many.
   */
  stand(): HttpResponse | undefined | Promise<HttpResponse | undefined>
  /** The stream of an event, continued after it; undefined if it is unknown. */
  resume(lastEventId: string): HttpResponse | undefined | Promise<HttpResponse | undefined>
  /** Ends all streams. */
  close(): void
}

/** The properties of a session that its streams use. */
export interface StreamsOwner {
  readonly id: string
  readonly limits: HttpLimits
  /** Streams begin with an event from which a client can resume. */
  readonly isPrimed: boolean
}

export const streamResponse = (stream: NonNullable<HttpResponse['stream']>): HttpResponse => ({
  status: 200,
  headers: { ...streamHeaders },
  stream,
})

/** Streams of a session that lives in one process. */
export class LocalStreams implements SessionStreams {
  readonly #owner: StreamsOwner
  #streams: Map<string, EventStream> | undefined
  #standing: EventStream[] = []
  #waiting: Message[] = []
  #store: MemoryEventStore | undefined
  #nextStream = 1

  constructor(owner: StreamsOwner) {
    this.#owner = owner
  }

  get open(): number {
    return [...(this.#streams?.values() ?? [])].filter((stream) => stream.isOpen).length
  }

  forReply(): EventStream {
    return this.#openStream()
  }

  send(message: Message): void {
    const standing = this.#standing.findLast((stream) => stream.isOpen)
    if (standing) standing.send(message)
    else this.#wait(message)
  }

  stand(): HttpResponse | undefined {
    if (this.open >= this.#owner.limits.maxStreams) return undefined
    const stream = this.#openStream()
    this.#standing.push(stream)
    for (const message of this.#waiting.splice(0)) stream.send(message)
    return streamResponse((sink) => stream.attach(sink))
  }

  resume(lastEventId: string): HttpResponse | undefined {
    const found = readEventId(lastEventId)
    const stream = found && this.#streams?.get(found.stream)
    return stream && streamResponse((sink) => stream.attach(sink, found?.sequence))
  }

  close(): void {
    for (const stream of this.#streams?.values() ?? []) stream.finish()
  }

  #openStream(): EventStream {
    this.#store ??= new MemoryEventStore()
    this.#streams ??= new Map()
    const stream = new EventStream(`s${this.#nextStream++}`, this.#store, this.#owner.limits)
    this.#streams.set(stream.id, stream)
    this.#forgetOldStreams()
    if (this.#owner.isPrimed) stream.prime()
    return stream
  }

  #forgetOldStreams(): void {
    for (const [id, stream] of this.#streams ?? []) {
      if ((this.#streams?.size ?? 0) <= this.#owner.limits.maxStreams * 2) return
      if (stream.isOpen) continue
      this.#streams?.delete(id)
      this.#store?.drop(id)
      this.#standing = this.#standing.filter((standing) => standing !== stream)
    }
  }

  /**
   * Queues a message until a standing stream is opened; limited, and without repeated notifications of the same kind.
   */
  #wait(message: Message): void {
    const text = JSON.stringify(message)
    if ('method' in message && !('id' in message) && this.#waiting.some((kept) => JSON.stringify(kept) === text))
      return
    this.#waiting.push(message)
    if (this.#waiting.length > this.#owner.limits.maxWaiting) this.#waiting.shift()
  }
}
