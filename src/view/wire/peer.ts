/** A minimal JSON-RPC 2.0 between two windows. Does no I/O; its owner posts and receives messages. */

import { isObject } from '../../protocol/messages.js'

export type Params = Record<string, unknown>
export interface Wire {
  jsonrpc: '2.0'
  id?: string | number
  method?: string
  params?: Params
  result?: unknown
  error?: { code: number; message: string; data?: unknown }
}

/** The error response to a request. `code` is that of JSON-RPC; -32000 if the host or the user refused. */
export class ViewError extends Error {
  readonly code: number
  readonly data: unknown
  constructor(code: number, message: string, data?: unknown) {
    super(message)
    this.name = 'ViewError'
    this.code = code
    this.data = data
  }
}
export const refusals = {
  methodNotFound: -32601,
  invalidParams: -32602,
  internal: -32603,
  refused: -32000,
} as const

export interface PeerSide {
  post(message: Wire): void
  /** Handles a request; an exception becomes the error response. */
  respond(method: string, params: Params, signal: AbortSignal): unknown
  hear(method: string, params: Params): void
}
export interface AskOptions {
  signal?: AbortSignal | undefined
  timeoutMs?: number | undefined
}

export class Peer {
  readonly #side: PeerSide
  readonly #open = new Map<string | number, (reply: Wire) => void>()
  readonly #running = new Map<string | number, AbortController>()
  #count = 0
  #ended: string | undefined

  constructor(side: PeerSide) {
    this.#side = side
  }

  /** Number of requests of the other side in progress. */
  get running(): number {
    return this.#running.size
  }

  notify(method: string, params: object = {}): void {
    if (this.#ended === undefined) this.#side.post({ jsonrpc: '2.0', method, params: params as Params })
  }

  /**
   * Rejects with a `ViewError` if the request is refused, not answered in time (10 minutes by default, since a user may
   * be asked), or the other side has gone.
   */
  ask<T = unknown>(
    method: string,
    params: object = {},
    { signal, timeoutMs = 600_000 }: AskOptions = {},
  ): Promise<T> {
    if (this.#ended !== undefined) return Promise.reject(new ViewError(refusals.refused, this.#ended))
    const id = ++this.#count
    return new Promise<T>((resolve, reject) => {
      const end = (settle: () => void) => {
        clearTimeout(timer)
        signal?.removeEventListener('abort', stop)
        this.#open.delete(id)
        settle()
      }
      const stop = () => {
        this.notify('notifications/cancelled', { requestId: id, reason: 'cancelled' })
        end(() => reject(new ViewError(refusals.refused, `${method} was cancelled`)))
      }
      const timer = setTimeout(
        () =>
          end(() => reject(new ViewError(refusals.refused, `${method} was not answered within ${timeoutMs} ms`))),
        timeoutMs,
      )
      this.#open.set(id, ({ error, result }) =>
        end(() => (error ? reject(new ViewError(error.code, error.message, error.data)) : resolve(result as T))),
      )
      if (signal?.aborted) return stop()
      signal?.addEventListener('abort', stop, { once: true })
      this.#side.post({ jsonrpc: '2.0', id, method, params: params as Params })
    })
  }

  /** Accepts a posted message; anything but JSON-RPC 2.0 is dropped. */
  receive(data: unknown): void {
    if (this.#ended !== undefined || !isObject(data) || data.jsonrpc !== '2.0') return
    const { id, method, params } = data
    const isId = typeof id === 'string' || typeof id === 'number'
    if (typeof method === 'string') {
      const given = isObject(params) ? params : {}
      if (id === undefined) this.#heard(method, given)
      else if (isId) void this.#respond(id, method, given)
    } else if (isId && ('result' in data || isError(data.error))) this.#open.get(id)?.(data as unknown as Wire)
  }

  /** Rejects all pending requests with the reason. */
  close(reason: string): void {
    if (this.#ended !== undefined) return
    this.#ended = reason
    for (const controller of this.#running.values()) controller.abort(reason)
    for (const reply of [...this.#open.values()])
      reply({ jsonrpc: '2.0', error: { code: refusals.refused, message: reason } })
  }

  #heard(method: string, params: Params): void {
    if (method !== 'notifications/cancelled') return this.#side.hear(method, params)
    const { requestId } = params
    if (typeof requestId === 'string' || typeof requestId === 'number')
      this.#running.get(requestId)?.abort('cancelled')
  }

  async #respond(id: string | number, method: string, params: Params): Promise<void> {
    const reply = (rest: Pick<Wire, 'result' | 'error'>) => {
      if (this.#ended === undefined) this.#side.post({ jsonrpc: '2.0', id, ...rest })
    }
    if (this.#running.has(id)) return reply({ error: { code: -32600, message: 'this id is in use' } })
    const controller = new AbortController()
    this.#running.set(id, controller)
    try {
      const result = method === 'ping' ? {} : await this.#side.respond(method, params, controller.signal)
      reply({ result: result ?? {} })
    } catch (error) {
      const { code, message, data } = error as Partial<ViewError>
      const text = typeof message === 'string' ? message : String(error)
      reply({
        error: {
          code: typeof code === 'number' ? code : refusals.internal,
          message: text.slice(0, 2000),
          ...(data === undefined ? {} : { data }),
        },
      })
    } finally {
      this.#running.delete(id)
    }
  }
}

const isError = (value: unknown): boolean =>
  isObject(value) && typeof value.code === 'number' && typeof value.message === 'string'
