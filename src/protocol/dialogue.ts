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
  /** Sends one message. `related` is the peer's request that it belongs to, so that a transport can pick the stream. */
  send(message: Message, related: RequestId | undefined): void
  /** Answers a request of the peer: a result, or a promise of one; throws an `RpcError` to refuse. */
  answer(request: Incoming): unknown
  /** Hears a notification; cancellation and progress are dealt with here already. */
  hear(method: string, params: JsonObject): void
  /** A request of the peer is over; `answered` is false where it was cancelled and so gets no response. */
  settled?(id: RequestId, answered: boolean): void
  /** An error that is not the peer's business: `answer` threw something else than an `RpcError`. */
  broke?(method: string, error: unknown): void
}

export interface DialogueLimits {
  /** How long a request to the peer may stay without an answer. */
  timeoutMs: number
  /** How long progress may extend that. */
  maxTimeoutMs: number
  /** How many requests of the peer may be in flight. */
  maxInFlight: number
}
export interface DialogueOptions {
  limits?: Partial<DialogueLimits> | undefined
  watch?: DialogueWatch | undefined
  /** Prefix of request ids, with which a response can be assigned to its sender. */
  idPrefix?: string | undefined
}
export const dialogueLimits: DialogueLimits = { timeoutMs: 60_000, maxTimeoutMs: 600_000, maxInFlight: 256 }

/** Time for a valid response to follow one that cannot be used. */
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
 * One side of a JSON-RPC conversation: pairs requests with answers in both directions, cancels, times out and
 * reports progress. Engine and link each hold one (Overview, "Messages"; Cancellation; Progress).
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

  /** How many of the peer's requests are being worked on. */
  get inFlight(): number {
    return this.#incoming.size
  }

  /** True while the peer has not answered a request of this side. */
  get isWaiting(): boolean {
    return (this.#pending?.size ?? 0) > 0
  }

  /** The peer's requests that are being worked on. */
  get underWay(): Iterable<Incoming> {
    return this.#incoming.values()
  }

  /** True while a request of the peer with this id is being worked on. */
  isInFlight(id: RequestId): boolean {
    return this.#incoming.has(id)
  }

  receive(message: Message): void {
    if (this.#closedBecause !== undefined) return
    if (isRequest(message)) this.#answer(message)
    else if (isResponse(message)) this.#settle(message)
    else this.#hear(message.method, message.params ?? {})
  }

  notify(method: string, params: JsonObject | undefined, related?: RequestId): void {
    if (this.#closedBecause !== undefined) return
    this.#handlers.send({ jsonrpc: '2.0', method, ...(params ? { params } : {}) }, related)
  }

  /** Sends a request and waits for its answer. Rejects with `RpcError`, a `JexoError` (timeout, closed) or the abort reason. */
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

  /** True while a request of this side has no answer. */
  isAsked(id: RequestId): boolean {
    return this.#pending?.has(id) === true
  }

  /** Rejects a request that could not be sent. */
  giveUp(id: RequestId, error: unknown): void {
    this.#pending?.get(id)?.reject(error)
  }

  /** Stops the clock of a request while a person is asked to sign in, and starts it again. */
  delay(id: RequestId, isDelayed: boolean): void {
    const pending = this.#pending?.get(id)
    if (isDelayed) pending?.pause()
    else pending?.extend()
  }

  /** A response came that cannot be used. The request fails, unless a valid response follows it shortly. */
  unusable(id: RequestId, reason: string): void {
    const pending = this.#pending?.get(id)
    if (!pending) return
    const error = protocolErrors.answerMalformed(pending.method, reason)
    setTimeout(() => pending.reject(error), correctionMs)
  }

  /** Ends the conversation: what runs is aborted, what is awaited is rejected with the reason. */
  close(why: string): void {
    if (this.#closedBecause !== undefined) return
    this.#closedBecause = why
    for (const [id, incoming] of this.#incoming.entries()) {
      incoming.end(protocolErrors.closed(why))
      this.#watch?.answered(incoming, { kind: 'cancelled' })
      this.#handlers.settled?.(id, false)
    }
    this.#incoming.clear()
    for (const pending of this.#pending?.values() ?? []) pending.reject(protocolErrors.closed(why))
    this.#pending?.clear()
  }

  #answer(message: Request): void {
    if (this.#incoming.has(message.id)) {
      return this.#refuse(
        message.id,
        rpcErrors.invalidRequest(`a request with id ${JSON.stringify(message.id)} is in flight`),
      )
    }
    if (this.#incoming.size >= this.#limits.maxInFlight) {
      const full = `${this.#limits.maxInFlight} requests are in flight already; wait for answers and try again`
      return this.#refuse(message.id, new RpcError(codes.internal, full))
    }
    const incoming = new Incoming(this, message)
    this.#incoming.set(message.id, incoming)
    if (this.#watch) this.#watch.arrived(incoming, () => this.#work(incoming))
    else this.#work(incoming)
  }

  #work(incoming: Incoming): void {
    try {
      const result = this.#handlers.answer(incoming)
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
    this.#watch?.answered(incoming, { kind: 'result', result })
    this.#handlers.send({ jsonrpc: '2.0', id: incoming.id, result }, incoming.id)
    this.#handlers.settled?.(incoming.id, true)
  }

  #fail(incoming: Incoming, error: unknown): void {
    if (!this.#finish(incoming)) return
    this.#watch?.answered(incoming, { kind: 'error', error })
    if (!(error instanceof RpcError)) this.#handlers.broke?.(incoming.method, error)
    this.#refuse(incoming.id, error instanceof RpcError ? error : new RpcError(codes.internal, 'Internal error'))
  }

  #refuse(id: RequestId, error: RpcError): void {
    this.#handlers.send(errorResponse(id, error.toFault()), id)
    this.#handlers.settled?.(id, true)
  }

  /** False if the request was cancelled in between: then nothing more is said about it. */
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
      // A notification is never answered, and what it upsets must not end the session.
      this.#handlers.broke?.(method, error)
    }
  }

  #cancelled(params: JsonObject): void {
    const incoming = this.#incoming.get(params.requestId as RequestId)
    if (incoming === undefined || incoming.method === 'initialize') return
    this.#incoming.delete(incoming.id)
    const reason = typeof params.reason === 'string' ? params.reason : 'cancelled by the peer'
    incoming.end(new DOMException(reason, 'AbortError'))
    this.#watch?.answered(incoming, { kind: 'cancelled' })
    this.#handlers.settled?.(incoming.id, false)
  }

  #progressed(params: JsonObject): void {
    const pending = this.#pending?.get(params.progressToken as RequestId)
    // A token stays valid for the life of a task, whose request was answered long ago.
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
    const expire = () => give(protocolErrors.requestTimedOut(method, timeoutMs), `no answer within ${timeoutMs} ms`)
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
