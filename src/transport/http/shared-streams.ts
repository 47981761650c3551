import type { Message } from '../../protocol/messages.js'
import type { StreamEvent, StreamLimits } from '../../store/store.js'
import { type EventStore, MemoryEventStore } from './event-store.js'
import { EventStream, eventText, readEventId } from './event-stream.js'
import { type HttpResponse, refusal, type Sink } from './exchange.js'
import type { HttpLimits } from './limits.js'
import { Outlet } from './outlet.js'
import { type SessionStreams, type StreamsOwner, streamResponse } from './session-streams.js'
import type { SharedProcess } from './shared-process.js'

const standingMark = 's'
/** Interval of the check whether the answering process still runs, in milliseconds. */
const lookEveryMs = 4000
const orphaned =
  'The process that answered on this stream has ended, and its calls with it; check their effects before you send the request again.'

/** Streams of a session that several processes serve: an event that is sent here may be read in another process. */
export class SharedStreams implements SessionStreams {
  readonly #session: string
  readonly #owner: StreamsOwner
  readonly #process: SharedProcess
  /** Streams of requests that this process works on. */
  readonly #own = new Map<string, EventStream>()
  /** Standing streams, and streams of other processes, whose readers are connected here. */
  readonly #readers = new Map<string, StreamReader>()
  readonly #kept: EventStore

  constructor(owner: StreamsOwner, process: SharedProcess) {
    this.#session = owner.id
    this.#owner = owner
    this.#process = process
    const inMemory = new MemoryEventStore()
    this.#kept = {
      append: (stream, sequence, event, data) => {
        inMemory.append(stream, sequence, event)
        this.#append(stream, { sequence, data })
      },
      after: (stream, sequence) => inMemory.after(stream, sequence),
      drop: (stream) => inMemory.drop(stream),
      finish: (stream, sequence) => this.#append(stream, { sequence: sequence + 1, data: '', isLast: true }),
    }
  }

  get open(): number {
    const own = [...this.#own.values()].filter((stream) => stream.isOpen)
    const read = [...this.#readers.values()].filter((reader) => reader.isOpen)
    return own.length + read.length
  }

  get #limits(): StreamLimits {
    const { maxStreams, maxWaiting } = this.#owner.limits
    return { mostReaders: maxStreams, mostWaiting: maxWaiting }
  }

  forReply(): EventStream {
    const stream = new EventStream(this.#newId(), this.#kept, this.#owner.limits)
    this.#own.set(stream.id, stream)
    for (const [id, { isOpen }] of this.#own) {
      if (this.#own.size <= this.#owner.limits.maxStreams * 2) break
      if (isOpen) continue
      this.#own.delete(id)
      this.#kept.drop(id)
    }
    if (this.#owner.isPrimed) stream.prime()
    return stream
  }

  send(message: Message): void {
    this.#process.send(this.#session, message)
  }

  async stand(): Promise<HttpResponse | undefined> {
    // Its name says that it belongs to no process.
    const id = this.#newId(standingMark)
    const { streams } = this.#process.member
    const stand = () => streams.stand(this.#session, id, this.#owner.isPrimed, this.#limits)
    return this.#read(id, 0, stand)
  }

  async resume(lastEventId: string): Promise<HttpResponse | undefined> {
    const found = readEventId(lastEventId)
    if (!found) return undefined
    const { stream, sequence } = found
    const own = this.#own.get(stream)
    const { streams } = this.#process.member
    const resume = () => streams.resume(this.#session, stream, sequence, this.#limits)
    if (!own) return this.#read(stream, sequence, resume)
    // Any previous reader is disconnected.
    await resume()
    return streamResponse((sink) => own.attach(sink, sequence))
  }

  /** Receives an event of a stream that is read here. */
  hear(stream: string, event: StreamEvent): void {
    this.#readers.get(stream)?.hear(event)
  }

  /** The store is available again; missed events are fetched. */
  async catchUp(): Promise<void> {
    for (const [id, reader] of this.#readers) {
      const events = await this.#process.member.streams.resume(this.#session, id, reader.last, this.#limits)
      for (const event of events ?? []) reader.hear(event)
    }
  }

  close(): void {
    for (const stream of this.#own.values()) stream.finish()
    for (const reader of this.#readers.values()) reader.end()
    this.#readers.clear()
  }

  #newId = (mark = '') => `${this.#process.member.id}.${mark}${this.#process.nextNumber()}`

  /** The process that serves a stream has ended, and no response will follow. */
  async #isOrphan(stream: string): Promise<boolean> {
    const [, member = ''] = /^(\w+)\.\d+$/.exec(stream) ?? []
    return member !== '' && !(await this.#process.member.isAlive(member))
  }

  /** Reads a stream from the store: the events after a given one, and new events. Undefined if there is no such stream, or too many are read. */
  async #read(
    id: string,
    after: number,
    fetch: () => Promise<StreamEvent[] | undefined>,
  ): Promise<HttpResponse | undefined> {
    // Events may arrive before the response of the store.
    const reader = this.#reader(id)
    const events = await fetch().catch((error) => {
      reader.end()
      throw error
    })
    const isOver = events?.some(({ isLast }) => isLast)
    if (events && !isOver && (await this.#isOrphan(id))) {
      reader.end()
      return refusal(400, orphaned)
    }
    if (!events) {
      this.#readers.delete(id)
      return undefined
    }
    reader.begin(events, after)
    return streamResponse((sink) => reader.attach(sink, this.#owner.isPrimed))
  }

  #reader(id: string): StreamReader {
    const { streams } = this.#process.member
    const reader: StreamReader = new StreamReader(id, this.#owner.limits, {
      missing: (after) => streams.after(this.#session, id, after),
      isOrphan: () => this.#isOrphan(id),
      left: () => {
        if (this.#readers.get(id) !== reader) return
        this.#readers.delete(id)
        streams.leave(this.#session, id).catch(() => {})
      },
    })
    this.#readers.get(id)?.end()
    this.#readers.set(id, reader)
    return reader
  }

  #append(stream: string, event: StreamEvent): void {
    const { member, outbox } = this.#process
    outbox.put(event.data.length, async () => {
      const reader = await member.streams.append(this.#session, stream, event)
      // The client now reads it in another process.
      if (reader !== undefined && reader !== member.id) this.#own.get(stream)?.release()
    })
  }
}

interface ReaderHandlers {
  isOrphan(): Promise<boolean>
  missing(after: number): Promise<StreamEvent[]>
  left(): void
}

/** A stream with events from the store, for a reader that is connected here. */
class StreamReader {
  readonly id: string
  /** Number of the last event that was written. */
  last = 0
  readonly #outlet: Outlet
  readonly #handlers: ReaderHandlers
  /** Events by number, until the reader is connected and the previous events have arrived. */
  readonly #early = new Map<number, StreamEvent>()
  #isConnected = false
  #isFetching = false
  #looking: ReturnType<typeof setInterval> | undefined
  #missed = 0

  constructor(id: string, limits: HttpLimits, handlers: ReaderHandlers) {
    this.id = id
    this.#outlet = new Outlet(limits)
    this.#handlers = handlers
  }

  get isOpen(): boolean {
    return this.#outlet.isOpen
  }

  /** The previous event number; the first one is arbitrary, since old events are dropped. */
  begin(events: readonly StreamEvent[], after: number): void {
    for (const event of events) this.#early.set(event.sequence, event)
    const [first] = [...this.#early.keys()].sort((a, b) => a - b)
    this.last = first === undefined ? after : first - 1
  }

  attach(sink: Sink, isResumable: boolean): () => void {
    clearInterval(this.#looking)
    this.#looking = setInterval(() => void this.#look(), lookEveryMs)
    this.#looking.unref?.()
    this.#outlet.attach(sink, isResumable)
    this.#isConnected = true
    this.#write()
    return () => {
      if (!this.#outlet.detach(sink)) return
      clearInterval(this.#looking)
      this.#handlers.left()
    }
  }

  hear(event: StreamEvent): void {
    if (event.sequence <= this.last) return
    this.#early.set(event.sequence, event)
    if (!this.#isConnected) return
    this.#write()
    if (this.#early.size > 0) void this.#fetch()
  }

  end(): void {
    clearInterval(this.#looking)
    this.#outlet.end()
    this.#handlers.left()
  }

  #write(): void {
    for (let next = this.#early.get(this.last + 1); next; next = this.#early.get(this.last + 1)) {
      this.#early.delete(next.sequence)
      this.last = next.sequence
      if (next.isLast) return this.end()
      this.#outlet.write(eventText(this.id, next.sequence, next.data))
    }
  }

  /** A process that was missing twice has died. */
  async #look(): Promise<void> {
    const isOrphan = await this.#handlers.isOrphan().catch(() => false)
    this.#missed = isOrphan ? this.#missed + 1 : 0
    if (this.#missed > 1) this.end()
  }

  /** Missing events are read from the store; dropped ones are skipped. */
  async #fetch(): Promise<void> {
    if (this.#isFetching) return
    this.#isFetching = true
    try {
      for (const event of await this.#handlers.missing(this.last)) this.#early.set(event.sequence, event)
      for (const sequence of this.#early.keys()) if (sequence <= this.last) this.#early.delete(sequence)
      const first = Math.min(...this.#early.keys())
      if (Number.isFinite(first)) this.last = first - 1
      this.#write()
    } catch {
      // The store is unavailable; everything is fetched when it is back.
    } finally {
      this.#isFetching = false
    }
  }
}
