import type { Identity } from '../kit/call.js'
import { Dialogue, type DialogueLimits } from '../protocol/dialogue.js'
import type { AskOptions, Incoming } from '../protocol/incoming.js'
import { type JsonObject, type Message, type RequestId, unusableReason } from '../protocol/messages.js'
import { newestRevision, type Revision } from '../protocol/revisions.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import type { ClientCapabilities, Implementation, LogLevel, ServerCapabilities } from '../protocol/types.js'
import { declaresViews } from '../protocol/ui.js'
import type { SessionWatch, WatchedSession } from '../telemetry/telemetry.js'
import type { Feature, Respond } from './feature.js'
import { features as standardFeatures } from './features.js'
import { scopesNeeded } from './gates.js'
import type { PartIndex } from './part-index.js'
import type { RunningKit } from './running-kit.js'
import type { Session } from './session.js'
import { restore, type SessionState } from './session-state.js'

/** The functions of a transport that an engine uses. */
export interface EngineHandlers {
  /** Sends one message; `related` is the client's request it belongs to, undefined for what belongs to none. */
  send(message: Message, related: RequestId | undefined): void
  /** A request has ended; `hasResponse` is false if it was cancelled. */
  settled?(id: RequestId, hasResponse: boolean): void
  /** `initialize` was answered: the client and the revision. */
  opened?(engine: Engine): void
}
export interface EngineOptions {
  sessionId?: string
  identity?: Identity
  /** Every message is independent: no lifecycle, no client capabilities; the revision is given. */
  stateless?: Revision
  /** Parts that this session is narrowed to, by name, glob or `tag:…`, separated by commas. */
  only?: string
  limits?: Partial<DialogueLimits>
  /** How messages travel, for telemetry; undefined within one process. */
  network?: 'pipe' | 'tcp'
  /** Other processes serve the session too, and are notified of changes in another way. */
  isShared?: boolean
  /** The state from another process. */
  restored?: SessionState
  /** Prefix of the ids of this side's requests. */
  idPrefix?: string
  /** Features of the session. Default: the features of the standard. */
  features?: readonly Feature[]
}

/** The server side of the protocol for one session. It does no I/O: a transport passes messages in and out. */
export class Engine implements Session {
  readonly running: RunningKit
  readonly sessionId: string | undefined
  identity: Identity | undefined
  readonly isStateless: boolean
  readonly network: 'pipe' | 'tcp' | undefined
  readonly capabilities: ServerCapabilities
  phase: 'new' | 'initializing' | 'ready'
  revision: Revision
  client: Implementation | undefined
  clientCapabilities: ClientCapabilities = {}
  logLevel: LogLevel = 'info'
  subscriptions: Set<string> | undefined
  readonly watch: SessionWatch | undefined
  readonly only: string | undefined
  #isOver = false
  #ended: AbortController | undefined
  /** Only sessions in front of another server have listeners. */
  #rootsListeners: Set<() => void> | undefined
  readonly #isShared: boolean
  readonly #features: readonly Feature[]
  readonly #methods: Methods
  readonly #dialogue: Dialogue
  readonly #handlers: EngineHandlers

  constructor(running: RunningKit, handlers: EngineHandlers, options: EngineOptions = {}) {
    this.running = running
    this.#handlers = handlers
    this.sessionId = options.sessionId
    this.identity = options.identity
    this.only = options.only
    this.#isShared = options.isShared === true
    this.#features = options.features ?? standardFeatures
    this.#methods = methodsOf(this.#features)
    this.isStateless = options.stateless !== undefined
    this.network = options.network
    this.revision = options.stateless ?? newestRevision
    this.phase = this.isStateless ? 'ready' : 'new'
    if (options.restored) restore(this, options.restored)
    this.capabilities = Object.assign(
      {},
      ...this.#features.map((feature) => feature.declare(this.index, this.isStateless, running, this)),
    )
    this.watch = running.telemetry?.server(watched(this))
    this.#dialogue = new Dialogue(
      {
        send: (message, related) => {
          running.observer?.message(this, message, 'server')
          handlers.send(message, related)
        },
        respond: (incoming) => this.#respond(incoming),
        hear: (method, params) => this.#hear(method, params),
        settled: (id, hasResponse) => handlers.settled?.(id, hasResponse),
        broke: (method, error) => running.report('error', `${method} failed: ${stackOf(error)}`),
      },
      { limits: options.limits, watch: this.watch, idPrefix: options.idPrefix },
    )
    running.sessions.add(this)
  }

  /** The parts that this session sees now. */
  get index(): PartIndex {
    return this.running.indexFor(this.only, this.identity, this.showsViews)
  }

  /** The client has declared that it shows views, and there are some. */
  get showsViews(): boolean {
    return this.running.hasViews && !this.isStateless && declaresViews(this.clientCapabilities)
  }

  /** The scopes that a message requires from its sender. */
  scopesFor(message: Message, identity: Identity): readonly string[] {
    return scopesFor(this.running, message, identity, this.only, this.showsViews)
  }

  /** Number of the client's requests in progress. */
  get inFlight(): number {
    return this.#dialogue.inFlight
  }

  /** True if no request is in progress. */
  get isIdle(): boolean {
    return this.#dialogue.inFlight === 0 && !this.#dialogue.isWaiting
  }

  /** Labels of the requests in flight, such as `tool weigh_hive`. */
  get underWay(): string[] {
    return [...this.#dialogue.underWay].map(({ method, params }) => {
      const [kind = method] = method.split('/')
      const name = params.name ?? params.uri
      return typeof name === 'string' ? `${kind.replace(/s$/, '')} ${name.slice(0, 200)}` : method
    })
  }

  /** An unusable response to a request of this side arrived. */
  unusable(id: RequestId): void {
    this.#dialogue.unusable(id, unusableReason)
  }

  isInFlight(id: RequestId): boolean {
    return this.#dialogue.isInFlight(id)
  }

  /** Receives a message of the peer; over HTTP, with its sender. */
  receive(message: Message, identity = this.identity): void {
    this.identity = identity
    this.running.observer?.message(this, message, 'client')
    this.#dialogue.receive(message)
  }

  /** Sends a request that belongs to none of the client's requests. */
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject> {
    return this.#dialogue.ask(method, params, options)
  }

  /** Sends a notification that belongs to no request. */
  notify(method: string, params?: JsonObject): void {
    this.#dialogue.notify(method, params)
  }

  rootsChanged(): void {
    for (const listener of this.#rootsListeners ?? []) listener()
  }

  onRootsChanged(listener: () => void): () => void {
    this.#rootsListeners ??= new Set()
    this.#rootsListeners.add(listener)
    return () => this.#rootsListeners?.delete(listener)
  }

  opened(): void {
    this.#handlers.opened?.(this)
  }

  partsChanged(): void {
    if (this.#tellsNothing) return
    for (const list of ['tools', 'resources', 'prompts']) this.notify(`notifications/${list}/list_changed`)
  }

  resourcesChanged(): void {
    if (!this.#tellsNothing) this.notify('notifications/resources/list_changed')
  }

  resourceChanged(uri: string): void {
    if (!this.#tellsNothing && this.subscriptions?.has(uri)) this.notify('notifications/resources/updated', { uri })
  }

  get ended(): AbortSignal {
    this.#ended ??= new AbortController()
    if (this.#isOver) this.#ended.abort()
    return this.#ended.signal
  }

  #end(): void {
    this.running.sessions.delete(this)
    this.#isOver = true
    this.#ended?.abort()
  }

  close(why: string): void {
    if (this.#isOver) return
    this.#end()
    this.running.observer?.closed(this, why)
    this.#dialogue.close(why)
    if (this.phase !== 'new' && !this.isStateless) this.watch?.closed()
  }

  /** This process no longer serves the session. The other process reports the end to telemetry. */
  handOver(why = 'another process continues this session'): void {
    this.#end()
    this.#dialogue.close(why)
  }

  get #tellsNothing(): boolean {
    return this.phase !== 'ready' || this.isStateless || this.#isShared
  }

  #respond(incoming: Incoming): unknown {
    const method = this.#methods.get(incoming.method)
    if (this.phase === 'new' && incoming.method !== 'initialize' && incoming.method !== 'ping') {
      throw rpcErrors.invalidRequest(`send initialize before ${incoming.method}`)
    }
    if (!method?.isOffered(this)) throw rpcErrors.methodNotFound(incoming.method)
    return method.respond(this, incoming)
  }

  #hear(method: string, params: JsonObject): void {
    // Peers choose the name: one such as `constructor` must not find a property of every object.
    for (const { hear } of this.#features) if (hear && Object.hasOwn(hear, method)) hear[method]?.(this, params)
  }
}

/** The scopes that a message requires from its sender, in a session that is limited to some parts. */
export function scopesFor(
  running: RunningKit,
  message: Message,
  identity: Identity,
  only?: string,
  showsViews = true,
): readonly string[] {
  if (!('method' in message)) return []
  return scopesNeeded(running.kit, running.indexFor(only, identity, showsViews), message.method, message.params)
}

/** The session as telemetry sees it. */
function watched(session: Engine): WatchedSession {
  return {
    sessionId: session.sessionId,
    network: { transport: session.network },
    get revisionDate() {
      return session.revision.date
    },
    knows: (method, name) =>
      method === 'tools/call' ? session.index.tools.has(name) : session.index.prompts.has(name),
    mask: (text) => session.running.mask(text),
  }
}

type Methods = ReadonlyMap<string, { respond: Respond; isOffered: Feature['isOffered'] }>

const made = new WeakMap<readonly Feature[], Methods>()

/** All request methods of the features; made once for all sessions with the same features. */
function methodsOf(features: readonly Feature[]): Methods {
  const known = made.get(features)
  if (known) return known
  const methods: Methods = new Map(
    features.flatMap(({ requests, isOffered }) =>
      Object.entries(requests).map(([name, respond]) => [name, { respond, isOffered }] as const),
    ),
  )
  made.set(features, methods)
  return methods
}

function stackOf(error: unknown): string {
  return error instanceof Error ? (error.stack ?? error.message) : String(error)
}
