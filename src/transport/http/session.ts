import { Engine } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { SessionState } from '../../engine/session-state.js'
import type { Identity } from '../../kit/call.js'
import { ownerOf } from '../../kit/owner.js'
import { isRequest, type Message, type RequestId } from '../../protocol/messages.js'
import type { Revision } from '../../protocol/revisions.js'
import { SmallMap } from '../../protocol/small-map.js'
import { openBatch } from '../intake.js'
import type { HttpResponse } from './exchange.js'
import { empty } from './exchange.js'
import type { HttpLimits } from './limits.js'
import type { Overdue } from './overdue.js'
import { PostReply } from './post-reply.js'
import { LocalStreams, type SessionStreams, type StreamsOwner } from './session-streams.js'

export interface HttpSessionOptions {
  id?: string
  identity?: Identity | undefined
  stateless?: Revision
  only?: string | undefined
  limits: HttpLimits
  /** Switches to a stream for responses that take long. */
  overdue: Overdue
  onHost?: ((engine: Engine) => void) | undefined
  /** Called when no request is in progress any more. */
  onIdle?: () => void
  /** Set if several processes serve the session. */
  shared?: SharedOptions
}

export interface SharedOptions {
  streams(owner: StreamsOwner): SessionStreams
  idPrefix: string
  /** Its owner, and its state from another process. */
  restored?: { owner: string | undefined; state: SessionState }
}

/** One session over HTTP: its engine, the pending replies, and its streams. */
export class HttpSession implements StreamsOwner {
  readonly id: string
  /** The caller who owns the session; undefined without authentication. */
  readonly owner: string | undefined
  readonly engine: Engine
  readonly limits: HttpLimits
  readonly streams: SessionStreams
  readonly #overdue: Overdue
  readonly #onIdle: (() => void) | undefined
  readonly #replies = new SmallMap<RequestId, PostReply>()
  readonly openedAt = Date.now()
  lastSeenAt = Date.now()

  constructor(running: RunningKit, options: HttpSessionOptions) {
    const { id, identity, stateless, only, limits, overdue, onHost, shared } = options
    this.id = id ?? ''
    this.owner = shared?.restored ? shared.restored.owner : identity && ownerOf(identity)
    this.limits = limits
    this.streams = shared ? shared.streams(this) : new LocalStreams(this)
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
        ...(shared ? { isShared: true, idPrefix: shared.idPrefix } : {}),
        ...(shared?.restored ? { restored: shared.restored.state } : {}),
        limits: { maxInFlight: limits.maxInFlight },
        network: 'tcp',
      },
    )
  }

  /** Without a session, nothing can be resumed. */
  get isPrimed(): boolean {
    return this.engine.revision.streamPriming && !this.engine.isStateless
  }

  isIdleSince(time: number): boolean {
    return this.lastSeenAt < time && this.engine.isIdle && this.streams.open === 0
  }

  seen(): void {
    this.lastSeenAt = Date.now()
  }

  /** Accepts the message of a POST; responds when it is known whether JSON or a stream is needed. */
  post(message: Message, identity?: Identity): Promise<HttpResponse> | HttpResponse {
    if (!isRequest(message)) {
      this.engine.receive(message, identity)
      return empty(202)
    }
    const reply = new PostReply(1, false, this.#overdue, () => this.streams.forReply())
    // The engine refuses an id that is in flight; the first request with it keeps its reply.
    const earlier = this.#replies.get(message.id)
    this.#replies.set(message.id, reply)
    this.engine.receive(message, identity)
    if (earlier) this.#replies.set(message.id, earlier)
    return reply.response
  }

  /** Accepts a batch (R2). */
  postBatch(values: readonly unknown[], identity?: Identity): Promise<HttpResponse> | HttpResponse {
    const refusals: Message[] = []
    const { batch, messages, ids } = openBatch(values, (replies) => refusals.push(...replies), this.engine)
    batch.deliverNow()
    if (ids.length === 0 && refusals.length === 0) {
      for (const message of messages) this.engine.receive(message, identity)
      return empty(202)
    }
    const reply = new PostReply(ids.length, true, this.#overdue, () => this.streams.forReply())
    for (const refusal of refusals) reply.take(refusal)
    for (const id of ids) this.#replies.set(id, reply)
    for (const message of messages) this.engine.receive(message, identity)
    reply.finishIfSettled()
    return reply.response
  }

  close(why: string): void {
    this.engine.close(why)
    this.streams.close()
  }

  #send(message: Message, related: RequestId | undefined): void {
    const reply = related === undefined ? undefined : this.#replies.get(related)
    if (reply) reply.take(message)
    else this.streams.send(message)
  }

  #settled(id: RequestId): void {
    const reply = this.#replies.get(id)
    this.#replies.delete(id)
    reply?.settled()
    if (this.#replies.size === 0) this.#onIdle?.()
  }
}
