import { authorized } from '../access/sign-in/authorized.js'
import type { SignIn } from '../access/sign-in/sign-in.js'
import { linkErrors } from '../link/errors.js'
import { ResponseLost, SessionGone, type Wire, type WireHandlers } from '../link/wire.js'
import { protocolErrors } from '../protocol/errors.js'
import { isRequest, type Message, messagesIn, type RequestId } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { NetworkPath } from '../telemetry/telemetry.js'
import { isResponseTo, mostRetryMs, newReading, pause, type ReadingOptions, readEvents } from './event-reading.js'
import { carriedBy, type HttpExchange } from './http-exchange.js'
import { fetchSameOrigin, textOf } from './http-responses.js'

export interface HttpWireOptions {
  /** Sent with every request, such as `{ authorization: 'Bearer …' }`. */
  headers?: Readonly<Record<string, string>>
  fetch?: typeof globalThis.fetch
  /** Provides the tokens to send. */
  signIn?: SignIn | undefined
  /** Called for each request when the head of its response has arrived, or when the request has failed. */
  onExchange?: ((exchange: HttpExchange) => void) | undefined
}

const mostResumes = 5

/** The reason of a refusal that has only a status. */
export class HttpStatus extends Error {
  readonly status: number
  constructor(status: number) {
    super(`HTTP ${status}`)
    this.status = status
  }
}

interface RequestParts {
  body?: string
  headers: Record<string, string>
  sent?: Message
}

export const networkOf = ({ hostname, port, protocol }: URL): NetworkPath => ({
  transport: 'tcp',
  address: hostname.replace(/^\[|\]$/g, ''),
  port: Number(port || (protocol === 'https:' ? 443 : 80)),
})

/** A wire to a Streamable HTTP endpoint (Transports, "Streamable HTTP"). */
export class HttpWire implements Wire {
  readonly label: string
  readonly network: NetworkPath
  readonly #url: URL
  readonly #headers: Readonly<Record<string, string>>
  readonly #fetch: typeof globalThis.fetch
  readonly #signIn: SignIn | undefined
  readonly #onExchange: ((exchange: HttpExchange) => void) | undefined
  readonly #exchanges = new WeakMap<Response, HttpExchange>()
  readonly #aborter = new AbortController()
  /** Aborts each request in progress. */
  readonly #requests = new Map<RequestId, AbortController>()
  #handlers: WireHandlers | undefined
  #sessionId: string | undefined
  #revision: Revision | undefined
  /** Ends the standing stream of the session that is being dropped. */
  #standing: AbortController | undefined

  constructor(url: URL, options: HttpWireOptions = {}) {
    this.label = url.href
    this.network = networkOf(url)
    this.#url = url
    this.#headers = options.headers ?? {}
    this.#fetch = options.fetch ?? globalThis.fetch.bind(globalThis)
    this.#signIn = options.signIn
    this.#onExchange = options.onExchange
  }

  get sessionId(): string | undefined {
    return this.#sessionId
  }

  start(handlers: WireHandlers): void {
    this.#handlers = handlers
  }

  opened(revision: Revision): void {
    this.#revision = revision
    void this.#stand()
  }

  forget(): void {
    this.#sessionId = undefined
    this.#revision = undefined
    this.#standing?.abort()
  }

  async send(message: Message): Promise<void> {
    // A cancelled request has no result, so its response is not read further.
    if ('method' in message && message.method === 'notifications/cancelled')
      this.#requests.get(message.params?.requestId as RequestId)?.abort()
    try {
      await this.#post(message)
    } catch (error) {
      if (!(isRequest(message) && this.#requests.get(message.id)?.signal.aborted)) throw error
    } finally {
      if (isRequest(message)) this.#requests.delete(message.id)
    }
  }

  async #post(message: Message): Promise<void> {
    const sentIn = this.#sessionId
    const response = await this.#request('POST', {
      body: JSON.stringify(message),
      headers: { accept: 'application/json, text/event-stream', 'content-type': 'application/json' },
      sent: message,
    })
    this.#sessionId ??= response.headers.get('mcp-session-id') ?? undefined
    const type = response.headers.get('content-type') ?? ''
    if (!response.ok) return this.#refused(message, response, sentIn)
    if (type.startsWith('application/json')) return this.#take(await textOf(response), message, response)
    if (type.startsWith('text/event-stream')) return this.#follow(response, message)
    await response.body?.cancel()
    if (!isRequest(message)) return
    throw protocolErrors.responseMalformed(message.method, `HTTP ${response.status} came with ${type || 'nothing'}`)
  }

  /** Ends the session at the server, with a short time limit. */
  async close(): Promise<void> {
    const ends = this.#sessionId === undefined ? undefined : this.#delete()
    this.#aborter.abort()
    await ends
  }

  async #delete(): Promise<void> {
    try {
      const token = await this.#signIn?.token(this.#url)
      const headers = this.#headersFor(token === undefined ? {} : { authorization: `Bearer ${token}` })
      await this.#fetch(this.#url, { method: 'DELETE', headers, signal: AbortSignal.timeout(2000) })
    } catch {
      // If the server cannot be reached, there is no session to end.
    }
  }

  #request(method: string, init: RequestParts): Promise<Response> {
    const send = (headers: Record<string, string>) =>
      this.#requestOnce(method, { ...init, headers: { ...init.headers, ...headers } })
    if (!this.#signIn) return this.#requestOnce(method, init)
    const { sent } = init
    const id = sent && isRequest(sent) ? sent.id : undefined
    return authorized(this.#signIn, this.#url, send, {
      signal: this.#aborter.signal,
      onWait: (isWaiting) => id !== undefined && this.#handlers?.delayed?.(id, isWaiting),
    })
  }

  async #requestOnce(method: string, { sent, ...init }: RequestParts): Promise<Response> {
    const headers = this.#headersFor(init.headers)
    const startedAt = performance.now()
    const tell = (more: Partial<HttpExchange>): HttpExchange => {
      const tookMs = performance.now() - startedAt
      const exchange = {
        method,
        url: this.label,
        requestHeaders: headers,
        tookMs,
        ...(sent ? { sent } : {}),
        ...more,
      }
      this.#onExchange?.(exchange)
      return exchange
    }
    try {
      const signal = this.#signalFor(sent)
      const response = await fetchSameOrigin(this.#fetch, this.#url, { method, ...init, headers, signal })
      if (this.#onExchange) {
        const { status } = response
        this.#exchanges.set(response, tell({ status, responseHeaders: Object.fromEntries(response.headers) }))
      }
      return response
    } catch (error) {
      if (this.#aborter.signal.aborted) throw protocolErrors.closed('closed by this side')
      const cause = (error as Error).cause
      const reason = cause instanceof Error ? cause.message || codeOf(cause) : String(error)
      tell({ failure: reason })
      throw linkErrors.connectFailed(this.label, reason, error)
    }
  }

  /** Aborted with the wire, and with the request. */
  #signalFor(sent: Message | undefined): AbortSignal {
    if (!sent || !isRequest(sent)) return this.#aborter.signal
    const own = new AbortController()
    this.#requests.set(sent.id, own)
    return AbortSignal.any([this.#aborter.signal, own.signal])
  }

  /** Passes a message on, and records the exchange that contained it. */
  #received(message: Message, by: Response): void {
    const exchange = this.#exchanges.get(by)
    if (exchange) carriedBy(message, exchange)
    this.#handlers?.receive(message)
  }

  #headersFor(headers: Record<string, string>): Record<string, string> {
    return {
      ...this.#headers,
      ...headers,
      ...(this.#sessionId === undefined ? {} : { 'mcp-session-id': this.#sessionId }),
      ...(this.#revision?.versionHeader ? { 'mcp-protocol-version': this.#revision.date } : {}),
    }
  }

  /** A refusal with a JSON-RPC error is the response; any other is a failure of the wire. */
  async #refused(message: Message, response: Response, sentIn: string | undefined): Promise<void> {
    const text = await textOf(response)
    const fault = faultIn(text)
    if (isRequest(message) && fault?.id === message.id) return this.#take(text, message, response)
    const said = fault?.message ?? response.statusText
    if (response.status === 404 && sentIn !== undefined) throw new SessionGone(said)
    throw linkErrors.connectFailed(this.label, `HTTP ${response.status}: ${said}`, new HttpStatus(response.status))
  }

  #take(text: string, asked: Message, by: Response): void {
    const messages = messagesIn(text)
    for (const message of messages ?? []) this.#received(message, by)
    if (!isRequest(asked) || messages?.some((message) => isResponseTo(message, asked.id))) return
    throw protocolErrors.responseMalformed(
      asked.method,
      messages ? 'the body is another message' : 'the body is not JSON',
    )
  }

  /** Reads a stream to its end; if the response is still missing, resumes after the last event. */
  async #follow(response: Response, asked: Message): Promise<void> {
    const id = isRequest(asked) ? asked.id : undefined
    const reading = newReading(id === undefined)
    let current = response
    for (let resumes = 0; ; resumes++) {
      const before = reading.lastEventId
      await readEvents(current, reading, this.#readingOf(current, id))
      // Only attempts without a new event count, since a server may close its streams often.
      if (reading.lastEventId !== before) resumes = 0
      if (reading.hasResponse || this.#aborter.signal.aborted) return
      // Without an event id, the stream cannot be resumed: the call was cancelled, or the server violates the standard.
      if (reading.lastEventId === undefined || resumes >= mostResumes)
        throw protocolErrors.responseMalformed(
          isRequest(asked) ? asked.method : 'a message',
          'the stream ended without the response',
          new ResponseLost(),
        )
      await pause(reading.retryMs, this.#aborter.signal)
      current = await this.#openStream(reading.lastEventId)
      if (!current.ok)
        throw linkErrors.connectFailed(
          this.label,
          `the stream could not be resumed: HTTP ${current.status}`,
          new ResponseLost(),
        )
    }
  }

  #openStream(lastEventId?: string): Promise<Response> {
    const resume: Record<string, string> = lastEventId === undefined ? {} : { 'last-event-id': lastEventId }
    return this.#request('GET', { headers: { accept: 'text/event-stream', ...resume } })
  }

  #readingOf(response: Response, id: RequestId | undefined): ReadingOptions {
    const received = (message: Message) => this.#received(message, response)
    return { id, signal: this.#aborter.signal, unusable: this.#handlers?.unusable, received }
  }

  /** Keeps a standing stream open for messages that belong to no request, if the server offers one. */
  async #stand(): Promise<void> {
    const standing = new AbortController()
    this.#standing = standing
    const isOver = () => this.#aborter.signal.aborted || standing.signal.aborted
    const reading = newReading(true)
    for (let failures = 0; !isOver(); failures++) {
      try {
        const response = await this.#openStream(reading.lastEventId)
        if (response.ok) failures = 0
        if (response.ok) await readEvents(response, reading, this.#readingOf(response, undefined))
        else await response.body?.cancel()
        // Other refusals are final: the server has no streams, or the session has ended.
        if (!response.ok && response.status < 500) {
          if (response.status !== 400 || reading.lastEventId === undefined) return
          // Missed events are no longer available.
          reading.lastEventId = undefined
        }
      } catch {
        // The next request reports an unreachable server; here the stream is only retried.
      }
      await pause(Math.min(reading.retryMs * 2 ** Math.min(failures, 6), mostRetryMs), this.#aborter.signal)
    }
  }
}

const codeOf = (error: Error) => String((error as NodeJS.ErrnoException).code ?? error.name)

function faultIn(text: string): { id: unknown; message: string } | undefined {
  try {
    const value = JSON.parse(text) as { id?: unknown; error?: { message?: unknown } }
    return typeof value.error?.message === 'string' ? { id: value.id, message: value.error.message } : undefined
  } catch {
    return undefined
  }
}
