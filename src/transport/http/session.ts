import { Engine } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { Identity } from '../../kit/call.js'
import { ownerOf } from '../../kit/owner.js'
import { isRequest, type Message, type RequestId } from '../../protocol/messages.js'
import type { Revision } from '../../protocol/revisions.js'
import { openBatch } from '../intake.js'
import { MemoryEventStore } from './event-store.js'
import { EventStream, streamHeaders } from './event-stream.js'
import type { HttpAnswer } from './exchange.js'
import { empty } from './exchange.js'
import type { HttpLimits } from './limits.js'
import type { Overdue } from './overdue.js'
import { PostReply } from './post-reply.js'

export interface HttpSessionOptions {
  id?: string
  identity?: Identity | undefined
  stateless?: Revision
  only?: string | undefined
  limits: HttpLimits
  /** Turns answers that take long into streams. */
  overdue: Overdue
  onHost?: ((engine: Engine) => void) | undefined
  /** Called when nothing is under way any more. */
  onIdle?: () => void
}

/** One session over HTTP: its engine, the replies under way, its streams, and what waits for one. */
export class HttpSession {
  readonly id: string
  /** To whom it belongs; undefined where nobody is asked. */
  readonly owner: string | undefined
  readonly engine: Engine
  readonly #limits: HttpLimits
  readonly #overdue: Overdue
  readonly #onIdle: (() => void) | undefined
  #replies = new Map<RequestId, PostReply>()
  #streams: Map<string, EventStream> | undefined
  #standing: EventStream[] = []
  #waiting: Message[] = []
  #store: MemoryEventStore | undefined
  #nextStream = 1
  readonly openedAt = Date.now()
  lastSeenAt = Date.now()

  constructor(running: RunningKit, options: HttpSessionOptions) {
    const { id, identity, stateless, only, limits, overdue, onHost } = options
    this.id = id ?? ''
    this.owner = identity && ownerOf(identity)
    this.#limits = limits
    this.#overdue = overdue
    this.#onIdle = options.onIdle
    this.engine = new Engine(
      running,
      {
        send: (message, related) => this.#send(message, related),
        settled: (requestId) => this.#settled(requestId),
        opened: (engine) => onHost?.(engine),
      },
      {
        ...(id === undefined ? {} : { sessionId: id }),
        ...(identity ? { identity } : {}),
        ...(stateless ? { stateless } : {}),
        ...(only === undefined ? {} : { only }),
        limits: { maxInFlight: limits.maxInFlight },
        network: 'tcp',
      },
    )
  }

  /** How many streams someone is connected to. */
  get openStreams(): number {
    return [...(this.#streams?.values() ?? [])].filter((stream) => stream.isOpen).length
  }

  isIdleSince(time: number): boolean {
    return this.lastSeenAt < time && this.engine.inFlight === 0 && this.openStreams === 0
  }

  seen(): void {
    this.lastSeenAt = Date.now()
  }

  /** Takes the message of a POST; the answer comes when it is known whether JSON or a stream is called for. */
  post(message: Message, identity?: Identity): Promise<HttpAnswer> | HttpAnswer {
    if (!isRequest(message)) {
      this.engine.receive(message, identity)
      return empty(202)
    }
    const reply = new PostReply([message.id], false, this.#overdue, () => this.#openStream())
    // An id that is in flight already is refused by the engine; its first holder keeps its reply.
    const earlier = this.#replies.get(message.id)
    this.#replies.set(message.id, reply)
    this.engine.receive(message, identity)
    if (earlier) this.#replies.set(message.id, earlier)
    return reply.answer
  }

  /** Takes a batch (R2). */
  postBatch(values: readonly unknown[], identity?: Identity): Promise<HttpAnswer> | HttpAnswer {
    const refusals: Message[] = []
    const { batch, messages, ids } = openBatch(
      values,
      (replies) => refusals.push(...replies),
      (id) => this.engine.isInFlight(id),
    )
    batch.deliverNow()
    if (ids.length === 0 && refusals.length === 0) {
      for (const message of messages) this.engine.receive(message, identity)
      return empty(202)
    }
    const reply = new PostReply(ids, true, this.#overdue, () => this.#openStream())
    for (const refusal of refusals) reply.take(refusal)
    for (const id of ids) this.#replies.set(id, reply)
    for (const message of messages) this.engine.receive(message, identity)
    reply.finishIfSettled()
    return reply.answer
  }

  /** A standing stream for what belongs to no request; what waited for one goes first. */
  openStanding(): HttpAnswer {
    const stream = this.#openStream()
    this.#standing.push(stream)
    for (const message of this.#waiting.splice(0)) stream.send(message)
    return this.#answerOf(stream, undefined)
  }

  /** The stream that an event was of, from there on; undefined if it is not known (any more). */
  resume(lastEventId: string): HttpAnswer | undefined {
    const found = /^(.+)-(\d+)$/.exec(lastEventId)
    const stream = found?.[1] === undefined ? undefined : this.#streams?.get(found[1])
    return stream ? this.#answerOf(stream, Number(found?.[2])) : undefined
  }

  close(why: string): void {
    this.engine.close(why)
    for (const stream of this.#streams?.values() ?? []) stream.finish()
  }

  #answerOf(stream: EventStream, missedAfter: number | undefined): HttpAnswer {
    return { status: 200, headers: { ...streamHeaders }, stream: (sink) => stream.attach(sink, missedAfter) }
  }

  #openStream(): EventStream {
    this.#store ??= new MemoryEventStore()
    this.#streams ??= new Map()
    const stream = new EventStream(`s${this.#nextStream++}`, this.#store, this.#limits)
    this.#streams.set(stream.id, stream)
    this.#forgetOldStreams()
    // Without a session there is nothing to resume.
    if (this.engine.revision.streamPriming && !this.engine.isStateless) stream.prime()
    return stream
  }

  #forgetOldStreams(): void {
    for (const [id, stream] of this.#streams ?? []) {
      if ((this.#streams?.size ?? 0) <= this.#limits.maxStreams * 2) return
      if (stream.isOpen) continue
      this.#streams?.delete(id)
      this.#store?.drop(id)
      this.#standing = this.#standing.filter((standing) => standing !== stream)
    }
  }

  #send(message: Message, related: RequestId | undefined): void {
    const reply = related === undefined ? undefined : this.#replies.get(related)
    if (reply) return reply.take(message)
    const standing = this.#standing.findLast((stream) => stream.isOpen)
    if (standing) standing.send(message)
    else this.#wait(message)
  }

  /** Keeps a message until a standing stream is opened: bounded, and one of a kind where they say the same. */
  #wait(message: Message): void {
    const text = JSON.stringify(message)
    if ('method' in message && !('id' in message) && this.#waiting.some((kept) => JSON.stringify(kept) === text))
      return
    this.#waiting.push(message)
    if (this.#waiting.length > this.#limits.maxWaiting) this.#waiting.shift()
  }

  #settled(id: RequestId): void {
    const reply = this.#replies.get(id)
    this.#replies.delete(id)
    reply?.settled(id)
    if (this.#replies.size === 0) this.#onIdle?.()
  }
}
