import type { RunningKit } from '../../engine/running-kit.js'
import { restore, stateOf } from '../../engine/session-state.js'
import type { Identity } from '../../kit/call.js'
import { isObject, isResponse, type JsonObject, type Message, readMessage } from '../../protocol/messages.js'
import { storeErrors } from '../../store/errors.js'
import type { Member, Store, StreamEvent } from '../../store/store.js'
import { empty, type HttpResponse } from './exchange.js'
import type { HttpLimits } from './limits.js'
import { evictAfterMs } from './local-sessions.js'
import type { HttpSession, HttpSessionOptions, SharedOptions } from './session.js'
import type { Kept, Sessions } from './sessions.js'
import { SharedProcess } from './shared-process.js'
import { mostStateCharacters, readStored, storedText } from './shared-state.js'
import { SharedStreams } from './shared-streams.js'

export interface SharedSessionsOptions {
  store: Store
  limits: HttpLimits
  /** Creates the local copy of a session that this process has not served yet. */
  make(options: Pick<HttpSessionOptions, 'id' | 'only'> & { shared: SharedOptions }): HttpSession
}

interface Replica {
  readonly session: HttpSession
  /** The state in the store at the last read or write. */
  stored: string
  touchedAt: number
}

/** Idle time after which this process drops its copy of a session; the store keeps the session. */
const keepMs = 60_000
const touchMs = 30_000
const subscribing = 'resources/subscribe'
const changing = new Set(['notifications/initialized', 'logging/setLevel', subscribing, 'resources/unsubscribe'])

/** Sessions that any process with the same store can serve. */
export class SharedSessions implements Sessions {
  readonly #process: SharedProcess
  readonly #member: Member
  readonly #running: RunningKit
  readonly #limits: HttpLimits
  readonly #options: SharedSessionsOptions
  readonly #replicas = new Map<string, Replica>()

  constructor(running: RunningKit, options: SharedSessionsOptions) {
    const { store, limits } = options
    this.#running = running
    this.#limits = limits
    this.#options = options
    this.#process = new SharedProcess(running, {
      store,
      streamLimits: { mostReaders: limits.maxStreams, mostWaiting: limits.maxWaiting },
      hear: (mail) => this.#hear(mail),
      connected: () => this.#catchUp(),
    })
    this.#member = this.#process.member
  }

  get here(): Iterable<HttpSession> {
    return [...this.#replicas.values()].map(({ session }) => session)
  }
  get size(): number {
    return this.#replicas.size
  }
  get trouble(): string | undefined {
    return this.#member.trouble
  }
  get letters() {
    return this.#process.letters
  }
  get shared(): SharedOptions {
    return this.#sharedAs()
  }

  /** The store counts the sessions. */
  hasRoom(others: number): boolean {
    return others < this.#limits.maxSessions
  }

  add(session: HttpSession): void {
    this.#replicas.set(session.id, { session, stored: '', touchedAt: Date.now() })
  }

  async opened(session: HttpSession): Promise<Kept> {
    const replica = this.#replicas.get(session.id)
    const stored = storedText(session)
    if (!replica || stored.length > mostStateCharacters) return 'too large'
    const { maxSessions, idleMs, handshakeMs } = this.#limits
    const room = { most: maxSessions, spareMs: Math.max(0, idleMs - evictAfterMs) }
    const { isOpen, ended } = await this.#member.sessions.open(session.id, stored, handshakeMs, room)
    if (isOpen) replica.stored = stored
    if (ended !== undefined) await this.#endedHere(ended, 'it was idle, and others needed its place')
    return isOpen ? 'kept' : 'full'
  }

  async find(id: string): Promise<HttpSession | undefined> {
    if (!/^[\w-]{1,64}$/.test(id)) return undefined
    const stored = await this.#member.sessions.read(id, this.#limits.idleMs)
    const replica = this.#replicas.get(id)
    if (stored !== undefined && replica?.stored === stored) return replica.session
    const read = stored === undefined ? undefined : readStored(stored)
    if (stored === undefined || !read) {
      if (replica) this.#release(replica, 'it has ended')
      return undefined
    }
    if (replica) {
      restore(replica.session.engine, read.state)
      replica.stored = stored
      return replica.session
    }
    const session = this.#options.make({
      id,
      ...(read.only === undefined ? {} : { only: read.only }),
      shared: this.#sharedAs({ owner: read.owner, state: read.state }),
    })
    this.#replicas.set(id, { session, stored, touchedAt: Date.now() })
    void this.#subscribeHere(session)
    return session
  }

  post(session: HttpSession, message: Message, identity: Identity | undefined) {
    const sent = this.#passOn(session, message)
    if (sent) return sent.then(() => empty(202))
    return this.#keeping(session, [message], session.post(message, identity))
  }

  postBatch(session: HttpSession, values: readonly unknown[], identity: Identity | undefined) {
    const messages = values.flatMap((value) => {
      const read = isObject(value) ? readMessage(value) : undefined
      return read && read.kind !== 'malformed' ? [read.message] : []
    })
    const passed = messages.flatMap((message) => this.#passOn(session, message) ?? [])
    const response = session.postBatch(values, identity)
    return Promise.all(passed).then(() => this.#keeping(session, messages, response))
  }

  async end(session: HttpSession, why: string): Promise<void> {
    const replica = this.#replicas.get(session.id)
    if (replica) this.#drop(replica, why)
    if (replica?.stored === '') return
    await this.#member.sessions.end(session.id)
    await this.#member.tellOthers({ kind: 'ended', session: session.id, why })
  }

  /** Extends the lifetime of sessions in use, and drops copies of idle ones. */
  sweep(): void {
    const now = Date.now()
    const { idleMs } = this.#limits
    const used: string[] = []
    for (const [id, replica] of this.#replicas) {
      const { session } = replica
      if (session.isIdleSince(now - Math.min(keepMs, idleMs))) {
        this.#release(replica)
      } else if (replica.touchedAt < now - Math.min(touchMs, idleMs / 3)) {
        replica.touchedAt = now
        used.push(id)
      }
    }
    if (used.length > 0) this.#member.sessions.extend(used, idleMs).catch(() => {})
    this.#process.sweep()
  }

  async close(): Promise<void> {
    await this.#process.giveBack()
    for (const replica of this.#replicas.values()) this.#release(replica)
    await this.#process.leave()
  }

  #sharedAs(restored?: SharedOptions['restored']): SharedOptions {
    return {
      idPrefix: `${this.#member.id}.`,
      streams: (owner) => new SharedStreams(owner, this.#process),
      ...(restored ? { restored } : {}),
    }
  }

  /** Forwards a message that belongs to a request of another process; undefined if it is for this one. */
  #passOn(session: HttpSession, message: Message): Promise<unknown> | undefined {
    const mail = { kind: 'message', session: session.id, message: message as unknown as JsonObject }
    if (isResponse(message)) return this.#toProcessOf(message.id, mail)
    if (!('method' in message) || 'id' in message) return undefined
    const { method, params } = message
    if (method === 'notifications/progress') return this.#toProcessOf(params?.progressToken, mail)
    if (method !== 'notifications/cancelled' || session.engine.isInFlight(params?.requestId as string))
      return undefined
    return this.#member.tellOthers(mail)
  }

  /** Ids of requests begin with the process that sent them. */
  #toProcessOf(id: unknown, mail: JsonObject): Promise<unknown> | undefined {
    const [, member] = typeof id === 'string' ? (/^(\w{1,32})\.\d+$/.exec(id) ?? []) : []
    return member === undefined || member === this.#member.id ? undefined : this.#handOn(member, mail)
  }

  /** Fails if a living process did not receive the message, so that the client repeats it. */
  async #handOn(member: string, mail: JsonObject): Promise<void> {
    if (await this.#member.tell(member, mail)) return
    if (await this.#member.isAlive(member))
      throw storeErrors.unavailable(this.#options.store.label, 'another process is not connected to it yet')
  }

  /** Stores the changes that a message made before its response is sent. */
  #keeping(
    session: HttpSession,
    messages: readonly Message[],
    response: HttpResponse | Promise<HttpResponse>,
  ): HttpResponse | Promise<HttpResponse> {
    const changed = messages.filter((message) => 'method' in message && changing.has(message.method))
    if (changed.length === 0) return response
    return Promise.resolve(response).then(async (given) => {
      for (const message of changed) await this.#keepSubscription(session, message)
      await this.#keep(session)
      return given
    })
  }

  async #keepSubscription({ id, engine }: HttpSession, message: Message): Promise<void> {
    const { method, params } = message as { method: string; params?: JsonObject }
    const uri = params?.uri
    if (typeof uri !== 'string' || !method.startsWith('resources/')) return
    const { sessions } = this.#member
    if (method !== subscribing) return sessions.unsubscribe(id, uri)
    if (engine.subscriptions?.has(uri)) await sessions.subscribe(id, uri, this.#member.id, this.#limits.idleMs)
  }

  async #keep(session: HttpSession): Promise<void> {
    const replica = this.#replicas.get(session.id)
    if (!replica) return
    const { idleMs, handshakeMs } = this.#limits
    const before = readStored(replica.stored)?.state
    const mine = stateOf(session.engine)
    for (;;) {
      const wanted = storedText(session)
      if (wanted === replica.stored) return
      const ttlMs = session.engine.phase === 'ready' ? idleMs : handshakeMs
      const found = await this.#member.sessions.exchange(session.id, replica.stored, wanted, ttlMs)
      const theirs = found === undefined ? undefined : readStored(found)?.state
      if (found === undefined || !theirs) return this.#release(replica, 'it has ended')
      replica.stored = found
      if (found === wanted) return
      // Another process was faster; this process's changes are applied on top.
      const logLevel = mine.logLevel === before?.logLevel ? theirs.logLevel : mine.logLevel
      restore(session.engine, { ...theirs, logLevel, isReady: mine.isReady || theirs.isReady })
    }
  }

  /** Watches the session's subscriptions in this process too, in case the process of the subscription ends. */
  async #subscribeHere({ id, engine }: HttpSession): Promise<void> {
    try {
      const uris = await this.#member.sessions.subscriptions(id)
      if (uris.length === 0) return
      engine.subscriptions = new Set([...(engine.subscriptions ?? []), ...uris])
      for (const uri of uris) this.#running.keepOpenFor(uri)
    } catch {
      // The process that holds the subscription reports changes.
    }
  }

  /** This process no longer serves it. */
  #release({ session }: Replica, why?: string): void {
    this.#replicas.delete(session.id)
    session.engine.handOver(why)
    session.streams.close()
  }

  #drop(replica: Replica, why: string): void {
    this.#replicas.delete(replica.session.id)
    replica.session.close(why)
  }

  async #endedHere(id: string, why: string): Promise<void> {
    const replica = this.#replicas.get(id)
    if (replica) this.#drop(replica, why)
    await this.#member.tellOthers({ kind: 'ended', session: id, why })
  }

  #catchUp(): void {
    for (const { session } of this.#replicas.values())
      void (session.streams as SharedStreams).catchUp().catch(() => {})
  }

  #hear(mail: JsonObject): void {
    const replica = typeof mail.session === 'string' ? this.#replicas.get(mail.session) : undefined
    const { kind, stream, message } = mail
    if (!replica) return
    if (kind === 'ended') this.#release(replica, String(mail.why))
    else if (kind === 'event' && typeof stream === 'string' && isEvent(mail))
      (replica.session.streams as SharedStreams).hear(stream, mail)
    else if (kind === 'message' && isObject(message)) {
      const read = readMessage(message)
      if (read.kind !== 'malformed') replica.session.engine.receive(read.message)
    }
  }
}

const isEvent = (mail: JsonObject): mail is JsonObject & StreamEvent =>
  Number.isInteger(mail.sequence) && typeof mail.data === 'string'
