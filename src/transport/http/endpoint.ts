import type { AccessCheck } from '../../access/check.js'
import type { Engine } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { Identity } from '../../kit/call.js'
import { when } from '../../kit/when.js'
import type { Message } from '../../protocol/messages.js'
import { isUnavailable } from '../../store/errors.js'
import type { Store } from '../../store/store.js'
import { accepts, checkHost, checkOrigin, isBrowser, type Sources } from './checks.js'
import { preflight, withCors } from './cors.js'
import { empty, type HttpRequest, type HttpResponse, json, refusal } from './exchange.js'
import { Guard } from './guard.js'
import { inSession } from './in-session.js'
import { type HttpLimits, httpLimits } from './limits.js'
import { LocalSessions } from './local-sessions.js'
import { Overdue } from './overdue.js'
import { pageFor } from './page.js'
import { Posts } from './posts.js'
import { fullOf, tooMany } from './refusals.js'
import { HttpSession, type HttpSessionOptions } from './session.js'
import type { Sessions } from './sessions.js'
import { SharedSessions } from './shared-sessions.js'
import { TwoEndpointForm } from './two-endpoint.js'

export interface EndpointOptions {
  /** Path of the endpoint. Default: `/mcp`. */
  path?: string
  /** Path of the older transport with two endpoints; false for none. Default: `/sse`. */
  ssePath?: string | false
  /** The public URL of the endpoint, for the page that browsers see. */
  publicUrl?: string
  /** Allowed values of the `Host` header, in addition to loopback names. */
  allowedHosts?: readonly string[]
  /** Origins of pages that may call; they receive CORS headers. */
  allowedOrigins?: readonly string[]
  /** Static bearer token that callers must send. */
  token?: string
  /** Decides who may call, instead of a token: `issuerTokens` and others of `jexo/access`. */
  access?: AccessCheck
  /** No sessions: every POST is independent, for serverless hosts. */
  stateless?: boolean
  limits?: Partial<HttpLimits>
  /**
   * Stores sessions, so that every process with the same store can serve them: `redisStore` of `jexo/redis`. Default:
   * memory of this process.
   */
  store?: Store
  /** Called when a host has connected, with its name and revision. */
  onHost?: (engine: Engine) => void
  /** Additional routes by path; they require the same access as the endpoint. */
  routes?: Readonly<Record<string, () => Promise<HttpResponse>>>
}

/** The Streamable HTTP endpoint of a running kit, for any HTTP server (Transports, "Streamable HTTP"). */
export class HttpEndpoint {
  readonly path: string
  readonly limits: HttpLimits
  readonly #running: RunningKit
  readonly #options: EndpointOptions
  readonly #sources: Sources
  readonly #guard: Guard
  readonly #sessions: Sessions
  readonly #overdue: Overdue
  readonly #older: TwoEndpointForm | undefined
  readonly #posts: Posts
  #sweep: ReturnType<typeof setInterval> | undefined
  #isDraining = false

  constructor(running: RunningKit, options: EndpointOptions = {}) {
    this.#running = running
    this.#options = options
    this.path = options.path ?? '/mcp'
    const ssePath = options.ssePath === false || options.stateless ? undefined : (options.ssePath ?? '/sse')
    this.limits = { ...httpLimits, ...options.limits }
    this.#overdue = new Overdue(this.limits.streamAfterMs)
    this.#sources = {
      allowedHosts: options.allowedHosts ?? [],
      allowedOrigins: options.allowedOrigins ?? [],
    }
    this.#sessions = this.#sessionsIn(options.store)
    if (ssePath !== undefined) {
      const { limits } = this
      const { letters } = this.#sessions
      this.#older = new TwoEndpointForm(running, { path: ssePath, limits, onHost: options.onHost, letters })
    }
    this.#posts = new Posts({
      limits: this.limits,
      sessions: this.#sessions,
      isStateless: options.stateless === true,
      lacking: (...asked) => this.#lacking(...asked),
      refuseMore: () => this.#refuseMore(),
      newSession: (given) => this.#newSession(given),
    })
    const { access, token, publicUrl } = options
    this.#guard = new Guard({ access, token, publicUrl, path: this.path })
  }

  /** True for paths that this endpoint handles. */
  owns(path: string): boolean {
    return path === this.path || path === this.#older?.path || path.startsWith('/health/')
  }

  get sessions(): number {
    return this.#sessions.size + (this.#older?.sessions.size ?? 0)
  }

  /** Answers one request; never rejects for an error of the caller. */
  handle(request: HttpRequest): HttpResponse | Promise<HttpResponse> {
    const { loading } = this.#running
    const response = loading ? loading.then(() => this.#handle(request)) : this.#handle(request)
    return this.#options.store && response instanceof Promise ? response.catch(unlessUnavailable) : response
  }

  #handle(request: HttpRequest): HttpResponse | Promise<HttpResponse> {
    if (request.path === '/health/live') return json(200, { status: 'live' })
    if (request.path === '/health/ready') {
      if (this.#isDraining) return json(503, { status: 'stopping' })
      const { trouble } = this.#sessions
      if (trouble !== undefined) return json(503, { status: 'waiting for the store', reason: trouble })
      return json(200, { status: 'ready' })
    }
    const refused = checkHost(request, this.#sources)
    if (refused) return refused
    const metadata = this.#guard.metadata(request, this.#running.kit)
    if (metadata) return metadata
    const foreign = checkOrigin(request, this.#sources)
    if (foreign) return foreign
    this.#sweepRegularly()
    const response = this.#route(request)
    if (this.#sources.allowedOrigins.length === 0) return response
    return Promise.resolve(response).then((given) => withCors(request, given, this.#sources))
  }

  /**
   * Accepts no new sessions, waits for running requests up to a time limit, then ends the sessions. Returns the
   * requests that were cut off.
   */
  async drain(withinMs: number): Promise<string[]> {
    this.#isDraining = true
    clearInterval(this.#sweep)
    const endsAt = Date.now() + withinMs
    const all = () => [...this.#sessions.here, ...(this.#older?.sessions.values() ?? [])]
    const { tasks } = this.#running
    const isBusy = () => all().some((session) => session.engine.inFlight > 0) || tasks.working.length > 0
    while (isBusy() && Date.now() < endsAt) await new Promise((resolve) => setTimeout(resolve, 20))
    const own = tasks.working.filter((task) => !tasks.mirror?.isDurable(task))
    const working = own.map(({ request }) => `task of tool ${String(request.params.name)}`)
    const cut = [...all().flatMap((session) => session.engine.underWay), ...working]
    for (const session of this.#older?.sessions.values() ?? []) session.close('the server is stopping')
    await this.#sessions.close()
    return cut
  }

  #route(request: HttpRequest): HttpResponse | Promise<HttpResponse> {
    const isOlder = request.path === this.#older?.path
    const route = this.#options.routes?.[request.path]
    if (route) return this.#guard.admit(request, route)
    if (request.path !== this.path && !isOlder) {
      return refusal(404, `There is nothing at ${request.path}; the endpoint is ${this.path}.`)
    }
    if (request.method === 'OPTIONS') return preflight(this.#sources, this.#methods)
    return this.#guard.admit(request, (identity) => this.#carryOut(request, identity, isOlder))
  }

  #carryOut(
    request: HttpRequest,
    identity: Identity | undefined,
    isOlder: boolean,
  ): HttpResponse | Promise<HttpResponse> {
    if (this.#older && isOlder) {
      const lacking = (engine: Pick<Engine, 'scopesFor'>, messages: readonly Message[]) =>
        this.#lacking(request, engine, messages, identity)
      return this.#older.handle(request, { refuseMore: () => this.#refuseMore(), identity, lacking })
    }
    if (request.method === 'POST') return this.#posts.handle(request, identity)
    if (request.method === 'GET' && !this.#options.stateless) return this.#get(request, identity)
    if (request.method === 'DELETE' && !this.#options.stateless) return this.#delete(request, identity)
    return refusal(405, `${request.method} is not offered here.`, -32000, { allow: this.#methods })
  }

  /** The response if the caller lacks a scope that one of the messages requires; otherwise undefined. */
  #lacking(
    request: HttpRequest,
    engine: Pick<Engine, 'scopesFor'>,
    messages: readonly Message[],
    identity: Identity | undefined,
  ): HttpResponse | undefined {
    if (!identity) return undefined
    const [first] = messages
    const needed =
      first !== undefined && messages.length === 1
        ? engine.scopesFor(first, identity)
        : messages.flatMap((message) => engine.scopesFor(message, identity))
    return needed.length === 0 ? undefined : this.#guard.lacking(request, identity, needed)
  }

  get #methods(): string {
    return this.#options.stateless ? 'POST' : 'GET, POST, DELETE'
  }

  /** Why no session can be opened now; undefined if one can. */
  #refuseMore(): HttpResponse | undefined {
    if (this.#isDraining) return tooMany(503, 'The server is stopping.')
    return this.#sessions.hasRoom(this.#older?.sessions.size ?? 0) ? undefined : fullOf(this.limits)
  }

  #newSession(options: Omit<HttpSessionOptions, 'limits' | 'overdue' | 'onHost'>): HttpSession {
    const { limits } = this
    return new HttpSession(this.#running, {
      ...options,
      limits,
      overdue: this.#overdue,
      onHost: this.#options.onHost,
    })
  }

  #sessionsIn(store: Store | undefined): Sessions {
    const { limits } = this
    if (!store || this.#options.stateless) return new LocalSessions(limits)
    return new SharedSessions(this.#running, { store, limits, make: (options) => this.#newSession(options) })
  }

  #get(request: HttpRequest, identity: Identity | undefined): HttpResponse | Promise<HttpResponse> {
    if (isBrowser(request))
      return pageFor(this.#running, this.#options.publicUrl ?? `http://${request.header('host') ?? ''}${this.path}`)
    if (!accepts(request, 'text/event-stream')) return refusal(406, 'Accept must list text/event-stream.')
    return inSession(this.#sessions, request, identity, ({ streams }) => {
      const full = `${this.limits.maxStreams} streams of this session are open; close one first.`
      if (streams.open >= this.limits.maxStreams) return tooMany(429, full)
      const lastEventId = request.header('last-event-id')
      if (lastEventId === undefined) return when(streams.stand(), (response) => response ?? tooMany(429, full))
      return when(
        streams.resume(lastEventId),
        (response) => response ?? refusal(400, `The event ${JSON.stringify(lastEventId)} is no longer available.`),
      )
    })
  }

  #delete(request: HttpRequest, identity: Identity | undefined): HttpResponse | Promise<HttpResponse> {
    return inSession(this.#sessions, request, identity, (session) =>
      when(this.#sessions.end(session, 'the client ended it'), () => empty(204)),
    )
  }

  /** Not before the first request, since some runtimes allow no timers while a module is loaded. */
  #sweepRegularly(): void {
    if (this.#sweep !== undefined || this.#isDraining) return
    const sweepMs = Math.min(5000, this.limits.idleMs, this.limits.handshakeMs)
    this.#sweep = setInterval(() => this.#endIdle(), sweepMs)
    ;(this.#sweep as { unref?: () => void }).unref?.()
  }

  #endIdle(): void {
    this.#sessions.sweep()
    const since = Date.now() - this.limits.handshakeMs
    for (const session of this.#older?.sessions.values() ?? [])
      if (session.engine.phase !== 'ready' && session.openedAt < since) session.close('it was never initialized')
  }
}

function unlessUnavailable(error: unknown): HttpResponse {
  if (!isUnavailable(error)) throw error
  return tooMany(503, `${error.problem[0]?.toUpperCase()}${error.problem.slice(1)}. Try again shortly.`)
}
