import type { Engine } from '../../engine/engine.js'
import type { Identity } from '../../kit/call.js'
import { isObject, isRequest, type Message, parseJson, readMessage } from '../../protocol/messages.js'
import { codes } from '../../protocol/rpc-error.js'
import { reportUnusable } from '../intake.js'
import { checkPost } from './checks.js'
import { BodyTooLong, type HttpRequest, type HttpResponse, onlyOf, refusal } from './exchange.js'
import { inSession, sessionHeader } from './in-session.js'
import type { HttpLimits } from './limits.js'
import { fullOf, malformed, revisionOf, tooMany, unsupportedVersion } from './refusals.js'
import type { HttpSession, HttpSessionOptions } from './session.js'
import type { Sessions } from './sessions.js'

/** The functions of the endpoint that POST requests use. */
export interface PostsHost {
  readonly limits: HttpLimits
  readonly sessions: Sessions
  /** True without sessions: each POST is independent. */
  readonly isStateless: boolean
  /** The response if the caller lacks a scope that one of the messages requires; otherwise undefined. */
  lacking(
    request: HttpRequest,
    engine: Pick<Engine, 'scopesFor'>,
    messages: readonly Message[],
    identity: Identity | undefined,
  ): HttpResponse | undefined
  /** Why no session can be opened now; undefined if one can. */
  refuseMore(): HttpResponse | undefined
  newSession(options: Omit<HttpSessionOptions, 'limits' | 'overdue' | 'onHost'>): HttpSession
}

/** The messages that clients post: one or a batch; in a session, for a new session, or without sessions. */
export class Posts {
  readonly #host: PostsHost

  constructor(host: PostsHost) {
    this.#host = host
  }

  /** Handles a POST of an authorized caller. */
  handle(request: HttpRequest, identity: Identity | undefined): HttpResponse | Promise<HttpResponse> {
    const refused = checkPost(request)
    if (refused) return refused
    return request.body(this.#host.limits.maxBytes).then(
      (text) => this.#postText(request, text, identity),
      (error) => {
        if (error instanceof BodyTooLong)
          return refusal(413, `The body is longer than ${this.#host.limits.maxBytes} bytes.`)
        throw error
      },
    )
  }

  #postText(
    request: HttpRequest,
    text: string,
    identity: Identity | undefined,
  ): HttpResponse | Promise<HttpResponse> {
    let value: unknown
    try {
      value = parseJson(text)
    } catch (error) {
      return refusal(400, `Parse error: ${(error as Error).message}`, codes.parse)
    }
    if (this.#host.isStateless) return this.#postStateless(request, value, identity)
    if (Array.isArray(value)) return this.#postBatch(request, value, identity)
    const read = readMessage(value)
    if (read.kind === 'malformed') {
      if (read.response) return malformed(read.response)
      return inSession(this.#host.sessions, request, identity, ({ engine }) => {
        reportUnusable(engine, value)
        return malformed(undefined)
      })
    }
    if (read.kind === 'request' && read.message.method === 'initialize' && !request.header(sessionHeader)) {
      return this.#open(request, read.message, identity)
    }
    return inSession(this.#host.sessions, request, identity, (session) => {
      const lacking = this.#host.lacking(request, session.engine, [read.message], identity)
      if (lacking) return lacking
      if (isRequest(read.message) && session.engine.inFlight >= this.#host.limits.maxInFlight) {
        return tooMany(
          429,
          `${this.#host.limits.maxInFlight} requests of this session are in flight; wait for responses.`,
        )
      }
      return this.#host.sessions.post(session, read.message, identity)
    })
  }

  async #open(request: HttpRequest, message: Message, identity: Identity | undefined): Promise<HttpResponse> {
    const only = onlyOf(request)
    if (typeof only === 'object') return only
    const full = this.#host.refuseMore()
    if (full) return full
    const id = crypto.randomUUID()
    const { shared } = this.#host.sessions
    const session = this.#host.newSession({ id, identity, only, ...(shared ? { shared } : {}) })
    this.#host.sessions.add(session)
    const response = await session.post(message, identity)
    if (session.engine.phase === 'new') {
      await this.#host.sessions.end(session, 'initialize was refused')
      return response
    }
    const kept = await this.#host.sessions.opened(session)
    if (kept !== 'kept') {
      await this.#host.sessions.end(session, 'there is no room for it')
      return kept === 'full'
        ? fullOf(this.#host.limits)
        : refusal(413, 'The capabilities of the client are too long to be kept.')
    }
    response.headers[sessionHeader] = id
    return response
  }

  #postBatch(
    request: HttpRequest,
    values: unknown[],
    identity: Identity | undefined,
  ): HttpResponse | Promise<HttpResponse> {
    return inSession(this.#host.sessions, request, identity, (session) => {
      if (!session.engine.revision.batches || session.engine.phase === 'new') {
        return refusal(
          400,
          'Invalid request: this revision has no batches; send one message a POST.',
          codes.invalidRequest,
        )
      }
      if (values.length === 0) return refusal(400, 'Invalid request: the batch is empty.', codes.invalidRequest)
      if (session.engine.inFlight + values.length > this.#host.limits.maxInFlight) {
        return tooMany(
          429,
          `More than ${this.#host.limits.maxInFlight} requests of this session would be in flight.`,
        )
      }
      return (
        this.#host.lacking(request, session.engine, values.filter(isObject) as unknown as Message[], identity) ??
        this.#host.sessions.postBatch(session, values, identity)
      )
    })
  }

  #postStateless(
    request: HttpRequest,
    value: unknown,
    identity: Identity | undefined,
  ): HttpResponse | Promise<HttpResponse> {
    const revision = revisionOf(request)
    if (!revision) return unsupportedVersion(request)
    if (Array.isArray(value) && (!revision.batches || value.length === 0)) {
      return refusal(400, 'Invalid request: a batch is not possible here.', codes.invalidRequest)
    }
    const read = Array.isArray(value) ? undefined : readMessage(value)
    if (read?.kind === 'malformed') return malformed(read.response)
    const only = onlyOf(request)
    if (typeof only === 'object') return only
    const onIdle = () => session.close('the request is over')
    const session: HttpSession = this.#host.newSession({ stateless: revision, identity, only, onIdle })
    const messages = [value].flat().filter(isObject) as unknown as Message[]
    const lacking = this.#host.lacking(request, session.engine, messages, identity)
    if (lacking) {
      session.close('the caller lacks a scope')
      return lacking
    }
    const response = read ? session.post(read.message, identity) : session.postBatch(value as unknown[], identity)
    // Only requests give a promise, and the session ends with the last of them.
    if (!(response instanceof Promise)) session.close('the request is over')
    return response
  }
}
