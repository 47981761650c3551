import { protocolErrors } from './errors.js'
import { type AskOptions, Incoming, type Progress } from './incoming.js'
import {
  type ErrorResponse,
  errorResponse,
  isObject,
  isRequest,
  isResponse,
  type JsonObject,
  type Message,
  type Request,
  type RequestId,
  type Response,
} from './messages.js'
import { codes, RpcError, rpcErrors } from './rpc-error.js'
import { SmallMap } from './small-map.js'
import type { DialogueWatch, WatchedAsk } from './watch.js'

/** The callbacks of a dialogue. A dialogue does no I/O. */
export interface DialogueHandlers {
  /** Sends one message. `related` is the peer's request that it belongs to, by which a transport selects the stream. */
  send(message: Message, related: RequestId | undefined): void
  /** Answers a request of the peer: a result, or a promise of one; throws an `RpcError` to refuse. */
  respond(request: Incoming): unknown
  /** Receives a notification; cancellation and progress were handled before. */
  hear(method: string, params: JsonObject): void
  /** A request of the peer has ended; `hasResponse` is false if it was cancelled and gets no response. */
  settled?(id: RequestId, hasResponse: boolean): void
  /** An internal error: `respond` threw something other than an `RpcError`. */
  broke?(method: string, error: unknown): void
}

export interface DialogueLimits {
  /** Time limit of a request to the peer. */
  timeoutMs: number
  /** Maximum extension by progress. */
  maxTimeoutMs: number
  /** Maximum number of requests of the peer in flight. */
  maxInFlight: number
}
export interface DialogueOptions {
  limits?: Partial<DialogueLimits> | undefined
  watch?: DialogueWatch | undefined
  /** Prefix of request ids, by which a response can be assigned to its sender. */
  idPrefix?: string | undefined
}
export const dialogueLimits: DialogueLimits = { timeoutMs: 60_000, maxTimeoutMs: 600_000, maxInFlight: 256 }

/** How long a valid response may take to follow an unusable one. */
const correctionMs = 500

interface Pending {
  method: string
  resolve(result: JsonObject): void
  reject(error: unknown): void
  onProgress: ((progress: Progress) => void) | undefined
  lastProgress: number
  extend(): void
  pause(): void
}

/**
 * One side of a JSON-RPC conversation: matches requests with responses in both directions, and handles cancellation,
 * timeouts and progress. The engine and the link each have one (Overview, "Messages"; Cancellation; Progress).
 */
export class Dialogue {
  readonly #handlers: DialogueHandlers
  readonly #limits: DialogueLimits
  readonly #watch: DialogueWatch | undefined
  readonly #idPrefix: string | undefined
  readonly #incoming = new SmallMap<RequestId, Incoming>()
  #pending: Map<RequestId, Pending> | undefined
  #nextId = 1
  #closedBecause: string | undefined

  constructor(handlers: DialogueHandlers, { limits, watch, idPrefix }: DialogueOptions = {}) {
    this.#handlers = handlers
    this.#watch = watch
    this.#idPrefix = idPrefix
    this.#limits = { ...dialogueLimits, ...limits }
  }

  /** Number of the peer's requests in progress. */
  get inFlight(): number {
    return this.#incoming.size
  }

  /** True while a request of this side has no response. */
  get isWaiting(): boolean {
    return (this.#pending?.size ?? 0) > 0
  }

  /** The peer's requests in progress. */
  get underWay(): Iterable<Incoming> {
    return this.#incoming.values()
  }

  /** True while a request of the peer with this id is in progress. */
  isInFlight(id: RequestId): boolean {
    return this.#incoming.has(id)
  }

  receive(message: Message): void {
    if (this.#closedBecause !== undefined) return
    if (isRequest(message)) this.#accept(message)
    else if (isResponse(message)) this.#settle(message)
    else this.#hear(message.method, message.params ?? {})
  }

  notify(method: string, params: JsonObject | undefined, related?: RequestId): void {
    if (this.#closedBecause !== undefined) return
    this.#handlers.send({ jsonrpc: '2.0', method, ...(params ? { params } : {}) }, related)
  }

  /**
   * Sends a request and waits for its response. Rejects with `RpcError`, a `JexoError` (timeout, closed) or the abort
   * reason.
   */
  ask(method: string, params: JsonObject | undefined, options: AskOptions = {}): Promise<JsonObject> {
    if (this.#closedBecause !== undefined) return Promise.reject(protocolErrors.closed(this.#closedBecause))
    if (options.signal?.aborted) return Promise.reject(options.signal.reason)
    const number = this.#nextId++
    const id = this.#idPrefix === undefined ? number : `${this.#idPrefix}${number}`
    return new Promise((resolve, reject) => {
      const watched = this.#watch?.asking(id, method, params, options.related)
      this.#await(id, method, options, watched, resolve, reject)
      const added = { ...watched?.meta, ...(options.onProgress ? { progressToken: id } : {}) }
      const sent =
        options.onProgress || watched
          ? { ...params, _meta: { ...(isObject(params?._meta) ? params._meta : {}), ...added } }
          : params
      this.#handlers.send({ jsonrpc: '2.0', id, method, ...(sent ? { params: sent } : {}) }, options.related)
    })
  }

  /** True while this request has no response. */
  isAsked(id: RequestId): boolean {
    return this.#pending?.has(id) === true
  }

  /** Rejects a request that could not be sent. */
  giveUp(id: RequestId, error: unknown): void {
    this.#pending?.get(id)?.reject(error)
  }

  /** Pauses the time limit of a request while the user signs in, and resumes it. */
  delay(id: RequestId, isDelayed: boolean): void {
    const pending = this.#pending?.get(id)
    if (isDelayed) pending?.pause()
    else pending?.extend()
  }

  /** An unusable response arrived. The request fails, unless a valid response follows shortly. */
  unusable(id: RequestId, reason: string): void {
    const pending = this.#pending?.get(id)
    if (!pending) return
    const error = protocolErrors.responseMalformed(pending.method, reason)
    setTimeout(() => pending.reject(error), correctionMs)
  }

  /** Ends the conversation: aborts requests in progress, and rejects pending requests with the reason. */
  close(why: string): void {
    if (this.#closedBecause !== undefined) return
    this.#closedBecause = why
    for (const [id, incoming] of this.#incoming.entries()) {
      incoming.end(protocolErrors.closed(why))
      this.#watch?.responded(incoming, { kind: 'cancelled' })
      this.#handlers.settled?.(id, false)
    }
    this.#incoming.clear()
    for (const pending of this.#pending?.values() ?? []) pending.reject(protocolErrors.closed(why))
    this.#pending?.clear()
  }

  #accept(message: Request): void {
    if (this.#incoming.has(message.id)) {
      return this.#refuse(
        message.id,
        rpcErrors.invalidRequest(`a request with id ${JSON.stringify(message.id)} is in flight`),
      )
    }
    if (this.#incoming.size >= this.#limits.maxInFlight) {
      const full = `${this.#limits.maxInFlight} requests are in flight already; wait for responses and try again`
      return this.#refuse(message.id, new RpcError(codes.internal, full))
    }
    const incoming = new Incoming(this, message)
    this.#incoming.set(message.id, incoming)
    if (this.#watch) this.#watch.arrived(incoming, () => this.#work(incoming))
    else this.#work(incoming)
  }

  #work(incoming: Incoming): void {
    try {
      const result = this.#handlers.respond(incoming)
      if (result instanceof Promise) {
        result.then(
          (value) => this.#respond(incoming, value as JsonObject),
          (error) => this.#fail(incoming, error),
        )
      } else {
        this.#respond(incoming, result as JsonObject)
      }
    } catch (error) {
      this.#fail(incoming, error)
    }
  }

  #respond(incoming: Incoming, result: JsonObject): void {
    if (!this.#finish(incoming)) return
    this.#watch?.responded(incoming, { kind: 'result', result })
    this.#handlers.send({ jsonrpc: '2.0', id: incoming.id, result }, incoming.id)
    this.#handlers.settled?.(incoming.id, true)
  }

  #fail(incoming: Incoming, error: unknown): void {
    if (!this.#finish(incoming)) return
    this.#watch?.responded(incoming, { kind: 'error', error })
    if (!(error instanceof RpcError)) this.#handlers.broke?.(incoming.method, error)
    this.#refuse(incoming.id, error instanceof RpcError ? error : new RpcError(codes.internal, 'Internal error'))
  }

  #refuse(id: RequestId, error: RpcError): void {
    this.#handlers.send(errorResponse(id, error.toFault()), id)
    this.#handlers.settled?.(id, true)
  }

  /** False if the request was cancelled in the meantime; nothing more is sent for it. */
  #finish(incoming: Incoming): boolean {
    if (this.#incoming.get(incoming.id) !== incoming) return false
    this.#incoming.delete(incoming.id)
    incoming.end()
    return true
  }

  #hear(method: string, params: JsonObject): void {
    if (method === 'notifications/cancelled') return this.#cancelled(params)
    if (method === 'notifications/progress') return this.#progressed(params)
    try {
      this.#handlers.hear(method, params)
    } catch (error) {
      // A notification has no response, and errors in its handler must not end the session.
      this.#handlers.broke?.(method, error)
    }
  }

  #cancelled(params: JsonObject): void {
    const incoming = this.#incoming.get(params.requestId as RequestId)
    if (incoming === undefined || incoming.method === 'initialize') return
    this.#incoming.delete(incoming.id)
    const reason = typeof params.reason === 'string' ? params.reason : 'cancelled by the peer'
    incoming.end(new DOMException(reason, 'AbortError'))
    this.#watch?.responded(incoming, { kind: 'cancelled' })
    this.#handlers.settled?.(incoming.id, false)
  }

  #progressed(params: JsonObject): void {
    const pending = this.#pending?.get(params.progressToken as RequestId)
    // A progress token stays valid for the lifetime of a task, whose request was answered long before.
    if (!pending) return this.#handlers.hear('notifications/progress', params)
    if (!pending.onProgress || typeof params.progress !== 'number' || params.progress <= pending.lastProgress)
      return
    pending.lastProgress = params.progress
    pending.extend()
    pending.onProgress({
      progress: params.progress,
      ...(typeof params.total === 'number' ? { total: params.total } : {}),
      ...(typeof params.message === 'string' ? { message: params.message } : {}),
    })
  }

  #await(
    id: RequestId,
    method: string,
    options: AskOptions,
    watched: WatchedAsk | undefined,
    resolve: (result: JsonObject) => void,
    reject: (error: unknown) => void,
  ): void {
    const timeoutMs = options.timeoutMs ?? this.#limits.timeoutMs
    const latestAt = Date.now() + Math.max(timeoutMs, this.#limits.maxTimeoutMs)
    const end = () => {
      clearTimeout(timer)
      options.signal?.removeEventListener('abort', abort)
      this.#pending?.delete(id)
    }
    const give = (error: unknown, reason: string) => {
      end()
      if (method !== 'initialize')
        this.notify('notifications/cancelled', { requestId: id, reason }, options.related)
      watched?.ended({ kind: 'error', error })
      reject(error)
    }
    const expire = () =>
      give(protocolErrors.requestTimedOut(method, timeoutMs), `no response within ${timeoutMs} ms`)
    const abort = () => give(options.signal?.reason, 'the caller cancelled')
    let timer = setTimeout(expire, timeoutMs)
    options.signal?.addEventListener('abort', abort, { once: true })
    this.#pending ??= new Map()
    this.#pending.set(id, {
      method,
      onProgress: options.onProgress,
      lastProgress: Number.NEGATIVE_INFINITY,
      resolve: (result) => {
        end()
        watched?.ended({ kind: 'result', result })
        resolve(result)
      },
      reject: (error) => {
        end()
        watched?.ended({ kind: 'error', error })
        reject(error)
      },
      pause: () => clearTimeout(timer),
      extend: () => {
        clearTimeout(timer)
        timer = setTimeout(expire, Math.max(0, Math.min(timeoutMs, latestAt - Date.now())))
      },
    })
  }

  #settle(response: Response): void {
    const pending = response.id === undefined ? undefined : this.#pending?.get(response.id)
    if (pending === undefined) return
    if ('result' in response) return pending.resolve(response.result)
    const { code, message, data } = (response as ErrorResponse).error
    pending.reject(new RpcError(code, message, data))
  }
}
