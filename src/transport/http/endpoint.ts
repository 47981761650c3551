import type { AccessCheck } from '../../access/check.js'
import type { Engine } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { Identity } from '../../kit/call.js'
import { ownerOf } from '../../kit/owner.js'
import {
  type ErrorResponse,
  isObject,
  isRequest,
  type Message,
  parseJson,
  readMessage,
} from '../../protocol/messages.js'
import { assumedRevision, findRevision, type Revision, revisions } from '../../protocol/revisions.js'
import { codes } from '../../protocol/rpc-error.js'
import { accepts, checkHost, checkOrigin, checkPost, isBrowser, isOriginAllowed, type Sources } from './checks.js'
import { BodyTooLong, empty, type HttpAnswer, type HttpRequest, json, onlyOf, refusal } from './exchange.js'
import { Guard } from './guard.js'
import { type HttpLimits, httpLimits } from './limits.js'
import { Overdue } from './overdue.js'
import { pageFor } from './page.js'
import { HttpSession } from './session.js'
import { TwoEndpointForm } from './two-endpoint.js'

export interface EndpointOptions {
  /** Path of the endpoint; `/mcp` by default. */
  path?: string
  /** Path of the older two-endpoint form; `/sse` by default, false for none. */
  ssePath?: string | false
  /** The URL that others reach the endpoint by, for the page that browsers see. */
  publicUrl?: string
  /** Host names that requests may be sent to, besides loopback. */
  allowedHosts?: readonly string[]
  /** Origins of pages that may call; they get the CORS headers they need. */
  allowedOrigins?: readonly string[]
  /** Static bearer token that callers must send. */
  token?: string
  /** Decides who may call, in the place of a token: `issuerTokens` and others of `jexo/access`. */
  access?: AccessCheck
  /** No sessions: every POST on its own, for serverless hosts. */
  stateless?: boolean
  limits?: Partial<HttpLimits>
  /** Called when a host has connected: who, by which revision. */
  onHost?: (engine: Engine) => void
  /** What else is answered, by path: for those who may call. */
  routes?: Readonly<Record<string, () => Promise<HttpAnswer>>>
}

/** When every place is taken, a session that was idle for this long gives its own up. */
const evictAfterMs = 60_000
const sessionHeader = 'mcp-session-id'
const versionHeader = 'mcp-protocol-version'

/** The Streamable HTTP endpoint of a running kit, for any HTTP server (Transports, "Streamable HTTP"). */
export class HttpEndpoint {
  readonly path: string
  readonly limits: HttpLimits
  readonly #running: RunningKit
  readonly #options: EndpointOptions
  readonly #sources: Sources
  readonly #guard: Guard
  readonly #sessions = new Map<string, HttpSession>()
  readonly #overdue: Overdue
  readonly #older: TwoEndpointForm | undefined
  #sweep: ReturnType<typeof setInterval> | undefined
  #isDraining = false

  constructor(running: RunningKit, options: EndpointOptions = {}) {
    this.#running = running
    this.#options = options
    this.path = options.path ?? '/mcp'
    const ssePath = options.ssePath === false || options.stateless ? undefined : (options.ssePath ?? '/sse')
    this.limits = { ...httpLimits, ...options.limits }
    this.#overdue = new Overdue(this.limits.streamAfterMs)
    this.#older =
      ssePath === undefined ? undefined : new TwoEndpointForm(running, ssePath, this.limits, options.onHost)
    this.#sources = {
      allowedHosts: options.allowedHosts ?? [],
      allowedOrigins: options.allowedOrigins ?? [],
    }
    const { access, token, publicUrl } = options
    this.#guard = new Guard({ access, token, publicUrl, path: this.path })
  }

  /** True for paths that this endpoint answers. */
  owns(path: string): boolean {
    return path === this.path || path === this.#older?.path || path.startsWith('/health/')
  }

  get sessions(): number {
    return this.#sessions.size + (this.#older?.sessions.size ?? 0)
  }

  /** Answers one request; never rejects for what a caller did wrong. */
  handle(request: HttpRequest): HttpAnswer | Promise<HttpAnswer> {
    const { loading } = this.#running
    return loading ? loading.then(() => this.#handle(request)) : this.#handle(request)
  }

  #handle(request: HttpRequest): HttpAnswer | Promise<HttpAnswer> {
    if (request.path === '/health/live') return json(200, { status: 'live' })
    if (request.path === '/health/ready') {
      return this.#isDraining ? json(503, { status: 'stopping' }) : json(200, { status: 'ready' })
    }
    const refused = checkHost(request, this.#sources)
    if (refused) return refused
    const metadata = this.#guard.metadata(request, this.#running.kit)
    if (metadata) return metadata
    const foreign = checkOrigin(request, this.#sources)
    if (foreign) return foreign
    this.#sweepRegularly()
    const answer = this.#route(request)
    if (this.#sources.allowedOrigins.length === 0) return answer
    return Promise.resolve(answer).then((given) => this.#withCors(request, given))
  }

  /** Takes no new sessions, lets what runs end within the time, then ends the sessions; returns the requests that were cut off. */
  async drain(withinMs: number): Promise<string[]> {
    this.#isDraining = true
    clearInterval(this.#sweep)
    const endsAt = Date.now() + withinMs
    const all = () => [...this.#sessions.values(), ...(this.#older?.sessions.values() ?? [])]
    const { tasks } = this.#running
    const isBusy = () => all().some((session) => session.engine.inFlight > 0) || tasks.working.length > 0
    while (isBusy() && Date.now() < endsAt) await new Promise((resolve) => setTimeout(resolve, 20))
    const working = tasks.working.map(({ request }) => `task of tool ${String(request.params.name)}`)
    const cut = [...all().flatMap((session) => session.engine.underWay), ...working]
    for (const session of all()) session.close('the server is stopping')
    this.#sessions.clear()
    return cut
  }

  #route(request: HttpRequest): HttpAnswer | Promise<HttpAnswer> {
    const isOlder = request.path === this.#older?.path
    const route = this.#options.routes?.[request.path]
    if (route) return this.#guard.admit(request, route)
    if (request.path !== this.path && !isOlder) {
      return refusal(404, `There is nothing at ${request.path}; the endpoint is ${this.path}.`)
    }
    if (request.method === 'OPTIONS') return this.#preflight()
    return this.#guard.admit(request, (identity) => this.#carryOut(request, identity, isOlder))
  }

  #carryOut(
    request: HttpRequest,
    identity: Identity | undefined,
    isOlder: boolean,
  ): HttpAnswer | Promise<HttpAnswer> {
    if (this.#older && isOlder) {
      const lacking = (engine: Engine, messages: readonly Message[]) =>
        this.#lacking(request, engine, messages, identity)
      return this.#older.handle(request, { refuseMore: () => this.#refuseMore(), identity, lacking })
    }
    if (request.method === 'POST') return this.#post(request, identity)
    if (request.method === 'GET' && !this.#options.stateless) return this.#get(request, identity)
    if (request.method === 'DELETE' && !this.#options.stateless) return this.#delete(request, identity)
    return refusal(405, `${request.method} is not offered here.`, -32000, { allow: this.#methods })
  }

  /** What is answered where the caller lacks a scope that one of the messages needs. */
  #lacking(
    request: HttpRequest,
    engine: Engine,
    messages: readonly Message[],
    identity: Identity | undefined,
  ): HttpAnswer | undefined {
    if (!identity) return undefined
    const needed = messages.flatMap((message) => engine.scopesFor(message, identity))
    return needed.length === 0 ? undefined : this.#guard.lacking(request, identity, needed)
  }

  get #methods(): string {
    return this.#options.stateless ? 'POST' : 'GET, POST, DELETE'
  }

  #post(request: HttpRequest, identity: Identity | undefined): HttpAnswer | Promise<HttpAnswer> {
    const refused = checkPost(request)
    if (refused) return refused
    return request.body(this.limits.maxBytes).then(
      (text) => this.#postText(request, text, identity),
      (error) => {
        if (error instanceof BodyTooLong)
          return refusal(413, `The body is longer than ${this.limits.maxBytes} bytes.`)
        throw error
      },
    )
  }

  #postText(request: HttpRequest, text: string, identity: Identity | undefined): HttpAnswer | Promise<HttpAnswer> {
    let value: unknown
    try {
      value = parseJson(text)
    } catch (error) {
      return refusal(400, `Parse error: ${(error as Error).message}`, codes.parse)
    }
    if (this.#options.stateless) return this.#postStateless(request, value, identity)
    if (Array.isArray(value)) return this.#postBatch(request, value, identity)
    const read = readMessage(value)
    if (read.kind === 'malformed') return malformed(read.answer)
    if (read.kind === 'request' && read.message.method === 'initialize' && !request.header(sessionHeader)) {
      return this.#open(request, read.message, identity)
    }
    const session = this.#sessionOf(request, identity)
    if (!(session instanceof HttpSession)) return session
    const lacking = this.#lacking(request, session.engine, [read.message], identity)
    if (lacking) return lacking
    if (isRequest(read.message) && session.engine.inFlight >= this.limits.maxInFlight) {
      return tooMany(429, `${this.limits.maxInFlight} requests of this session are in flight; wait for answers.`)
    }
    return session.post(read.message, identity)
  }

  async #open(request: HttpRequest, message: Message, identity: Identity | undefined): Promise<HttpAnswer> {
    const only = onlyOf(request)
    if (typeof only === 'object') return only
    const full = this.#refuseMore()
    if (full) return full
    const id = crypto.randomUUID()
    const session = new HttpSession(this.#running, {
      id,
      identity,
      only,
      limits: this.limits,
      overdue: this.#overdue,
      onHost: this.#options.onHost,
    })
    this.#sessions.set(id, session)
    const answer = await session.post(message, identity)
    if (session.engine.phase === 'new') {
      this.#end(session, 'initialize was refused')
      return answer
    }
    answer.headers[sessionHeader] = id
    return answer
  }

  /** Why no further session is opened now; undefined if one may be. */
  #refuseMore(): HttpAnswer | undefined {
    if (this.#isDraining) return tooMany(503, 'The server is stopping.')
    if (this.sessions >= this.limits.maxSessions) this.#makeRoom()
    if (this.sessions < this.limits.maxSessions) return undefined
    return tooMany(503, `There are ${this.limits.maxSessions} sessions already; try again later.`)
  }

  #postBatch(
    request: HttpRequest,
    values: unknown[],
    identity: Identity | undefined,
  ): HttpAnswer | Promise<HttpAnswer> {
    const session = this.#sessionOf(request, identity)
    if (!(session instanceof HttpSession)) return session
    if (!session.engine.revision.batches || session.engine.phase === 'new') {
      return refusal(
        400,
        'Invalid request: this revision has no batches; send one message a POST.',
        codes.invalidRequest,
      )
    }
    if (values.length === 0) return refusal(400, 'Invalid request: the batch is empty.', codes.invalidRequest)
    if (session.engine.inFlight + values.length > this.limits.maxInFlight) {
      return tooMany(429, `More than ${this.limits.maxInFlight} requests of this session would be in flight.`)
    }
    return (
      this.#lacking(request, session.engine, values.filter(isObject) as unknown as Message[], identity) ??
      session.postBatch(values, identity)
    )
  }

  #postStateless(
    request: HttpRequest,
    value: unknown,
    identity: Identity | undefined,
  ): HttpAnswer | Promise<HttpAnswer> {
    const revision = revisionOf(request)
    if (!revision) return unsupportedVersion(request)
    if (Array.isArray(value) && (!revision.batches || value.length === 0)) {
      return refusal(400, 'Invalid request: a batch is not possible here.', codes.invalidRequest)
    }
    const read = Array.isArray(value) ? undefined : readMessage(value)
    if (read?.kind === 'malformed') return malformed(read.answer)
    const only = onlyOf(request)
    if (typeof only === 'object') return only
    const session: HttpSession = new HttpSession(this.#running, {
      stateless: revision,
      identity,
      only,
      limits: this.limits,
      overdue: this.#overdue,
      onHost: this.#options.onHost,
      onIdle: () => session.close('the request is over'),
    })
    const messages = [value].flat().filter(isObject) as unknown as Message[]
    const lacking = this.#lacking(request, session.engine, messages, identity)
    if (lacking) {
      session.close('the caller lacks a scope')
      return lacking
    }
    const answer = read ? session.post(read.message, identity) : session.postBatch(value as unknown[], identity)
    // A promise is of requests, and the session ends with the last of them; else there was none.
    if (!(answer instanceof Promise)) session.close('the request is over')
    return answer
  }

  #get(request: HttpRequest, identity: Identity | undefined): HttpAnswer {
    if (isBrowser(request))
      return pageFor(this.#running, this.#options.publicUrl ?? `http://${request.header('host') ?? ''}${this.path}`)
    if (!accepts(request, 'text/event-stream')) return refusal(406, 'Accept must list text/event-stream.')
    const session = this.#sessionOf(request, identity)
    if (!(session instanceof HttpSession)) return session
    if (session.openStreams >= this.limits.maxStreams) {
      return tooMany(429, `${this.limits.maxStreams} streams of this session are open; close one first.`)
    }
    const lastEventId = request.header('last-event-id')
    if (lastEventId === undefined) return session.openStanding()
    return (
      session.resume(lastEventId) ?? refusal(400, `The event ${JSON.stringify(lastEventId)} is not known any more.`)
    )
  }

  #delete(request: HttpRequest, identity: Identity | undefined): HttpAnswer {
    const session = this.#sessionOf(request, identity)
    if (!(session instanceof HttpSession)) return session
    this.#end(session, 'the client ended it')
    return empty(204)
  }

  #sessionOf(request: HttpRequest, identity: Identity | undefined): HttpSession | HttpAnswer {
    const id = request.header(sessionHeader)
    if (id === undefined)
      return refusal(400, 'Mcp-Session-Id is missing; send initialize first and keep the id of its answer.')
    const session = this.#sessions.get(id)
    // A session is never a proof of who calls, and does not exist for anybody else.
    if (!session || session.owner !== (identity && ownerOf(identity)))
      return refusal(404, 'This session is unknown or has ended; send initialize again.')
    session.seen()
    const version = request.header(versionHeader)
    if (version !== undefined && version !== session.engine.revision.date) {
      return refusal(
        400,
        `MCP-Protocol-Version is ${version}, but this session speaks ${session.engine.revision.date}.`,
      )
    }
    return session
  }

  #end(session: { id: string; close(why: string): void }, why: string): void {
    this.#sessions.delete(session.id)
    session.close(why)
  }

  /** Not before the first request: some runtimes allow no timer while a module is loaded. */
  #sweepRegularly(): void {
    if (this.#sweep !== undefined || this.#isDraining) return
    const sweepMs = Math.min(5000, this.limits.idleMs, this.limits.handshakeMs)
    this.#sweep = setInterval(() => this.#endIdle(), sweepMs)
    ;(this.#sweep as { unref?: () => void }).unref?.()
  }

  #endIdle(): void {
    const now = Date.now()
    for (const session of [...this.#sessions.values(), ...(this.#older?.sessions.values() ?? [])]) {
      if (session.engine.phase !== 'ready' && session.openedAt < now - this.limits.handshakeMs)
        this.#end(session, 'it was never initialized')
      else if (session instanceof HttpSession && session.isIdleSince(now - this.limits.idleMs))
        this.#end(session, 'it was idle')
    }
  }

  /** Ends what is worth least: sessions that never finished to initialize, oldest first; else the one that has been idle longest. */
  #makeRoom(): void {
    this.#endIdle()
    if (this.sessions < this.limits.maxSessions) return
    // In the order in which they were opened.
    const all = [...this.#sessions.values()]
    const unfinished = all.find(({ engine }) => engine.phase !== 'ready')
    if (unfinished) return this.#end(unfinished, 'others needed its place before it was initialized')
    const since = Date.now() - Math.min(evictAfterMs, this.limits.idleMs)
    const idle = all.filter((session) => session.isIdleSince(since))
    const [oldest] = idle.sort((a, b) => a.lastSeenAt - b.lastSeenAt)
    if (oldest) this.#end(oldest, 'it was idle, and others needed its place')
  }

  #preflight(): HttpAnswer {
    if (this.#sources.allowedOrigins.length === 0) {
      return refusal(405, 'Cross-origin calls are off; name the origin in allowedOrigins.', -32000, {
        allow: this.#methods,
      })
    }
    return empty(204, {
      'access-control-allow-methods': this.#methods,
      'access-control-allow-headers':
        'authorization, content-type, last-event-id, mcp-protocol-version, mcp-session-id',
      'access-control-max-age': '600',
    })
  }

  #withCors(request: HttpRequest, answer: HttpAnswer): HttpAnswer {
    const origin = request.header('origin')
    if (origin === undefined || !this.#sources.allowedOrigins.includes(origin)) return answer
    if (!isOriginAllowed(origin, request.header('host'), this.#sources)) return answer
    answer.headers['access-control-allow-origin'] = origin
    answer.headers['access-control-expose-headers'] = 'Mcp-Session-Id, WWW-Authenticate'
    answer.headers.vary = 'Origin'
    return answer
  }
}

/** An error that answers a request, since its id could be read, has status 200 as any answer; else the POST itself was bad. */
function malformed(answer: ErrorResponse | undefined): HttpAnswer {
  if (answer === undefined) return refusal(400, 'Invalid request: a malformed response', codes.invalidRequest)
  return json(answer.id === undefined ? 400 : 200, answer)
}

const tooMany = (status: 429 | 503, message: string) => refusal(status, message, -32000, { 'retry-after': '5' })

function revisionOf(request: HttpRequest): Revision | undefined {
  const version = request.header(versionHeader)
  if (version === undefined) return assumedRevision
  const found = findRevision(version)
  return found?.date === version ? found : undefined
}

const unsupportedVersion = (request: HttpRequest) =>
  refusal(
    400,
    `MCP-Protocol-Version ${request.header(versionHeader)} is not supported; known are ${revisions.map((known) => known.date).join(', ')}.`,
  )
