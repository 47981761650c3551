import { Engine, type EngineOptions, scopesFor } from '../../engine/engine.js'
import type { RunningKit } from '../../engine/running-kit.js'
import type { Identity } from '../../kit/call.js'
import { ownerOf, plainIdentity } from '../../kit/owner.js'
import { isObject, type Message } from '../../protocol/messages.js'
import { Intake } from '../intake.js'
import { accepts, isJson } from './checks.js'
import { streamHeaders } from './event-stream.js'
import { BodyTooLong, empty, type HttpRequest, type HttpResponse, onlyOf, refusal, type Sink } from './exchange.js'
import type { HttpLimits } from './limits.js'
import type { Sessions } from './sessions.js'

interface TwoEndpointOptions extends EngineOptions {
  id: string
  /** The path for the client's messages, which contains the session. */
  postPath: string
  limits: HttpLimits
  onHost?: ((engine: Engine) => void) | undefined
  onClosed(): void
}

/** Context of an authorized request. */
interface TwoEndpointRequest {
  refuseMore(): HttpResponse | undefined
  identity: Identity | undefined
  /** The response if the caller lacks a scope that one of the messages requires; otherwise undefined. */
  lacking(engine: Pick<Engine, 'scopesFor'>, messages: readonly Message[]): HttpResponse | undefined
}

/** Values that are not messages are refused by the session. */
function messagesOf(text: string): Message[] {
  try {
    const value: unknown = JSON.parse(text)
    return [value].flat().filter(isObject) as unknown as Message[]
  } catch {
    return []
  }
}

const subject = 'two-endpoint'
const unknown = () => refusal(404, 'This session is unknown or has ended; open the stream again.')

/** The process that serves a session. */
const memberOf = (id: string): string | undefined => /^(\w{1,32})\.[\w-]{1,64}$/.exec(id)?.[1]

interface TwoEndpointFormOptions {
  path: string
  limits: HttpLimits
  onHost?: ((engine: Engine) => void) | undefined
  letters: Sessions['letters']
}

/** The older two-endpoint transport: GET opens a session and its stream, each POST sends a message to it. */
export class TwoEndpointForm {
  readonly path: string
  readonly sessions = new Map<string, TwoEndpointSession>()
  readonly #running: RunningKit
  readonly #limits: HttpLimits
  readonly #onHost: ((engine: Engine) => void) | undefined
  readonly #letters: Sessions['letters']

  constructor(running: RunningKit, { path, limits, onHost, letters }: TwoEndpointFormOptions) {
    this.#running = running
    this.path = path
    this.#limits = limits
    this.#onHost = onHost
    this.#letters = letters
    letters?.office.on(subject, async ({ session, text, identity }) => {
      const { status, body } = await this.#take(String(session), String(text), identity as Identity | undefined)
      return { status, ...(body === undefined ? {} : { body }) }
    })
  }

  /** Answers a request of an authorized caller; `refuseMore` is the reason why no session can be opened. */
  handle(
    request: HttpRequest,
    { refuseMore, identity, lacking }: TwoEndpointRequest,
  ): HttpResponse | Promise<HttpResponse> {
    if (request.method === 'GET') return this.#open(request, refuseMore, identity)
    if (request.method === 'POST') return this.#post(request, identity, lacking)
    return refusal(405, `${request.method} is not offered here.`, -32000, { allow: 'GET, POST' })
  }

  async #post(
    request: HttpRequest,
    identity: Identity | undefined,
    lacking: TwoEndpointRequest['lacking'],
  ): Promise<HttpResponse> {
    const id = new URLSearchParams(request.query).get('session') ?? ''
    const there = this.#letters && memberOf(id)
    const isElsewhere = there !== undefined && there !== this.#letters?.id
    if (!isElsewhere && !this.#find(id, identity)) return unknown()
    if (!isJson(request)) return refusal(415, 'Content-Type must be application/json.')
    try {
      const text = await request.body(this.#limits.maxBytes)
      if (isElsewhere) {
        const anywhere = { scopesFor: scopesFor.bind(undefined, this.#running) }
        return lacking(anywhere, messagesOf(text)) ?? (await this.#passOn(there, id, text, identity))
      }
      return this.#take(id, text, identity, lacking)
    } catch (error) {
      if (error instanceof BodyTooLong)
        return refusal(413, `The body is longer than ${this.#limits.maxBytes} bytes.`)
      throw error
    }
  }

  #find(id: string, identity: Identity | undefined): TwoEndpointSession | undefined {
    const session = this.sessions.get(id)
    return session && session.owner === (identity && ownerOf(identity)) ? session : undefined
  }

  #take(
    id: string,
    text: string,
    identity: Identity | undefined,
    lacking?: TwoEndpointRequest['lacking'],
  ): HttpResponse {
    const session = this.#find(id, identity)
    if (!session) return unknown()
    return lacking?.(session.engine, messagesOf(text)) ?? session.take(text, identity)
  }

  /** Another process serves the session. */
  async #passOn(
    member: string,
    session: string,
    text: string,
    identity: Identity | undefined,
  ): Promise<HttpResponse> {
    const letter = { session, text, ...(identity ? { identity: plainIdentity(identity) } : {}) }
    const response = await this.#letters?.office.ask(member, subject, letter)
    if (!response) return unknown()
    const { status, body } = response
    return typeof body === 'string'
      ? { status: Number(status), headers: { 'content-type': 'application/json' }, body }
      : empty(Number(status))
  }

  #open(
    request: HttpRequest,
    refuseMore: () => HttpResponse | undefined,
    identity: Identity | undefined,
  ): HttpResponse {
    if (!accepts(request, 'text/event-stream')) return refusal(406, 'Accept must list text/event-stream.')
    const refused = refuseMore()
    if (refused) return refused
    const only = onlyOf(request)
    if (typeof only === 'object') return only
    const id = `${this.#letters ? `${this.#letters.id}.` : ''}${crypto.randomUUID()}`
    const session = new TwoEndpointSession(this.#running, {
      id,
      postPath: `${this.path}?session=${id}`,
      limits: this.#limits,
      onHost: this.#onHost,
      onClosed: () => this.sessions.delete(id),
      ...(only === undefined ? {} : { only }),
      ...(identity ? { identity } : {}),
    })
    this.sessions.set(id, session)
    return session.open()
  }
}

/**
 * One session of the older transport (Transports of 2024-11-05, "HTTP with SSE"): all messages to the client are sent
 * on the stream that opened it, and each POST is only acknowledged. The session ends with its stream.
 */
class TwoEndpointSession {
  readonly id: string
  readonly owner: string | undefined
  readonly openedAt = Date.now()
  readonly engine: Engine
  readonly #intake: Intake
  readonly #options: TwoEndpointOptions
  #sink: Sink | undefined
  #heartbeat: ReturnType<typeof setInterval> | undefined

  constructor(running: RunningKit, options: TwoEndpointOptions) {
    this.id = options.id
    this.owner = options.identity && ownerOf(options.identity)
    this.#options = options
    this.#intake = new Intake(
      () => this.engine,
      (messages) => this.#write('message', JSON.stringify(messages)),
    )
    this.engine = new Engine(
      running,
      {
        send: (message, related) => this.#intake.send(message, related),
        settled: (id) => this.#intake.settled(id),
        opened: (engine) => options.onHost?.(engine),
      },
      { ...options, sessionId: options.id, limits: { maxInFlight: options.limits.maxInFlight }, network: 'tcp' },
    )
  }

  /** The response to the GET that opens the session: first the address for messages, then messages. */
  open(): HttpResponse {
    return {
      status: 200,
      headers: { ...streamHeaders },
      stream: (sink) => {
        this.#sink = sink
        this.#write('endpoint', this.#options.postPath)
        this.#heartbeat = setInterval(() => sink.write(': still here\n\n'), this.#options.limits.heartbeatMs)
        ;(this.#heartbeat as { unref?: () => void }).unref?.()
        return () => this.close('the client closed its stream')
      },
    }
  }

  take(text: string, identity: Identity | undefined): HttpResponse {
    if (this.engine.inFlight >= this.#options.limits.maxInFlight) {
      return refusal(
        429,
        `${this.#options.limits.maxInFlight} requests are in flight; wait for responses.`,
        -32000,
        {
          'retry-after': '5',
        },
      )
    }
    if (identity) this.engine.identity = identity
    this.#intake.takeText(text)
    return empty(202)
  }

  close(why: string): void {
    clearInterval(this.#heartbeat)
    const sink = this.#sink
    this.#sink = undefined
    this.engine.close(why)
    sink?.end()
    this.#options.onClosed()
  }

  #write(event: string, data: string): void {
    this.#sink?.write(`event: ${event}\ndata: ${data}\n\n`)
  }
}
