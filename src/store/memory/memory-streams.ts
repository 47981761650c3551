import type { JsonObject } from '../../protocol/messages.js'
import { eventLimits, type StreamEvent, type StreamLimits, type StreamStore } from '../store.js'

interface Streams {
  events: (StreamEvent & { stream: string })[]
  characters: number
  /** The member that reads a stream. */
  readers: Map<string, string>
  /** Newest last, each with the number of its last event. */
  standing: Map<string, number>
  waiting: string[]
  /** The highest number that each member has delivered. */
  delivered: Map<string, number>
}

/** Dependencies of event streams in memory. */
export interface StreamsHost {
  isReady(session: string): boolean
  isAlive(member: string): boolean
  tell(member: string, mail: JsonObject): void
}

/** Event streams of all sessions, in memory. */
export class MemoryStreams {
  readonly #sessions = new Map<string, Streams>()
  readonly #host: StreamsHost

  constructor(host: StreamsHost) {
    this.#host = host
  }

  drop(session: string): void {
    this.#sessions.delete(session)
  }

  /** The same streams from the view of one process. */
  of(member: string): StreamStore {
    return {
      stand: async (session, stream, isPrimed, limits) => {
        const streams = this.#of(session)
        if (!this.#read(streams, stream, member, limits)) return undefined
        streams.standing.set(stream, 0)
        if (isPrimed) this.#put(streams, stream, '')
        for (const data of streams.waiting.splice(0)) this.#put(streams, stream, data)
        return eventsAfter(streams, stream, 0)
      },
      append: async (session, stream, event) => {
        const streams = this.#of(session)
        if (eventsAfter(streams, stream, event.sequence - 1).length === 0) this.#keep(streams, stream, event)
        const reader = streams.readers.get(stream)
        if (reader !== undefined && reader !== member)
          this.#host.tell(reader, { kind: 'event', session, stream, ...event })
        return reader
      },
      deliver: async (session, data, number, { mostWaiting }) => {
        if (!this.#host.isReady(session)) return false
        const streams = this.#of(session)
        if (number <= (streams.delivered.get(member) ?? 0)) return true
        streams.delivered.set(member, number)
        const stream = [...streams.standing.keys()].findLast((one) => {
          const reader = streams.readers.get(one)
          return reader !== undefined && this.#host.isAlive(reader)
        })
        if (stream !== undefined) {
          const event = this.#put(streams, stream, data)
          const reader = streams.readers.get(stream) ?? ''
          this.#host.tell(reader, { kind: 'event', session, stream, ...event })
        } else if (!streams.waiting.includes(data)) {
          streams.waiting.push(data)
          if (streams.waiting.length > mostWaiting) streams.waiting.shift()
        }
        return true
      },
      resume: async (session, stream, after, limits) => {
        const streams = this.#of(session)
        const isStanding = streams.standing.has(stream)
        if (!isStanding && !streams.events.some((event) => event.stream === stream)) return undefined
        if (!this.#read(streams, stream, member, limits)) return undefined
        if (isStanding) for (const data of streams.waiting.splice(0)) this.#put(streams, stream, data)
        return eventsAfter(streams, stream, after)
      },
      after: async (session, stream, after) => eventsAfter(this.#of(session), stream, after),
      leave: async (session, stream) => {
        const streams = this.#sessions.get(session)
        if (streams?.readers.get(stream) === member) streams.readers.delete(stream)
      },
    }
  }

  #of(session: string): Streams {
    const known = this.#sessions.get(session)
    if (known) return known
    const made = {
      events: [],
      characters: 0,
      readers: new Map(),
      standing: new Map(),
      waiting: [],
      delivered: new Map(),
    }
    this.#sessions.set(session, made)
    return made
  }

  #read({ readers, standing }: Streams, stream: string, member: string, limits: StreamLimits): boolean {
    if (!readers.has(stream) && readers.size >= limits.mostReaders) return false
    readers.set(stream, member)
    // Standing streams without a reader are forgotten, oldest first.
    for (const one of standing.keys()) {
      if (standing.size <= limits.mostReaders) break
      if (!readers.has(one)) standing.delete(one)
    }
    return true
  }

  #put(streams: Streams, stream: string, data: string): StreamEvent {
    const sequence = (streams.standing.get(stream) ?? 0) + 1
    streams.standing.set(stream, sequence)
    this.#keep(streams, stream, { sequence, data })
    return { sequence, data }
  }

  #keep(streams: Streams, stream: string, event: StreamEvent): void {
    streams.events.push({ ...event, stream })
    streams.characters += event.data.length
    const { most, mostCharacters } = eventLimits
    while (streams.events.length > most || (streams.characters > mostCharacters && streams.events.length > 1))
      streams.characters -= streams.events.shift()?.data.length ?? 0
  }
}

const eventsAfter = ({ events }: Streams, stream: string, after: number): StreamEvent[] =>
  events
    .filter((event) => event.stream === stream && event.sequence > after)
    .map(({ stream: _, ...event }) => event)
