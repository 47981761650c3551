import { isObject, type JsonObject, type Request, type RequestId } from './messages.js'

export interface Progress {
  progress: number
  total?: number
  message?: string
}
export interface AskOptions {
  signal?: AbortSignal | undefined
  timeoutMs?: number | undefined
  onProgress?: ((progress: Progress) => void) | undefined
  related?: RequestId | undefined
}

/** The functions of a dialogue that a request uses. */
export interface Surrounding {
  notify(method: string, params: JsonObject, related: RequestId): void
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
}

/** A request of the peer in progress. */
export class Incoming {
  readonly id: RequestId
  readonly method: string
  readonly params: JsonObject
  readonly #dialogue: Surrounding
  #controller: AbortController | undefined
  #isOver = false
  #lastProgress = Number.NEGATIVE_INFINITY

  constructor(dialogue: Surrounding, request: Request) {
    this.#dialogue = dialogue
    this.id = request.id
    this.method = request.method
    this.params = request.params ?? {}
  }

  /** Aborted when the peer cancels it or the session ends. */
  get signal(): AbortSignal {
    this.#controller ??= new AbortController()
    if (this.#isOver && !this.#controller.signal.aborted) this.#controller.abort()
    return this.#controller.signal
  }

  /** True once the request has a response or is cancelled; later results are dropped. */
  get isOver(): boolean {
    return this.#isOver
  }

  get meta(): JsonObject {
    return isObject(this.params._meta) ? this.params._meta : {}
  }

  /** Sends a notification that belongs to this request; nothing after its response. */
  notify(method: string, params: JsonObject): void {
    if (!this.#isOver) this.#dialogue.notify(method, params, this.id)
  }

  /** Sends the peer a request that belongs to this one, and is cancelled with it. */
  ask(method: string, params: JsonObject, options: AskOptions = {}): Promise<JsonObject> {
    return this.#dialogue.ask(method, params, { signal: this.signal, ...options, related: this.id })
  }

  /**
   * Reports progress if the peer asked for it; a value that does not increase is not sent (Progress, "Progress Flow").
   */
  progress(report: Progress): void {
    const token = this.meta.progressToken
    if (typeof token !== 'string' && !Number.isInteger(token)) return
    if (!(report.progress > this.#lastProgress)) return
    this.#lastProgress = report.progress
    this.notify('notifications/progress', { progressToken: token, ...report })
  }

  end(reason?: unknown): void {
    this.#isOver = true
    if (reason !== undefined) this.#controller?.abort(reason)
  }
}
