import { encode } from '../../protocol/encoding.js'
import type { Message } from '../../protocol/messages.js'
/**
 * HTTP as the endpoint sees it, independent of Node's objects and the web's, so that the adapters stay small and fast.
 */
export interface HttpRequest {
  method: string
  /** Path without the query. */
  path: string
  query: string
  header(name: string): string | undefined
  /** Address of the peer, if the runtime provides it. */
  address?: string | undefined
  /** The whole body as text; rejects with `BodyTooLong` if it exceeds the limit. */
  body(maxBytes: number): Promise<string>
}

/** Destination of an event stream's text. */
export interface Sink {
  write(text: string): void
  end(): void
}
export interface HttpResponse {
  status: number
  headers: Record<string, string>
  body?: string
  /**
   * An event stream instead of a body: starts when it is called, and returns the function to call when the peer has
   * gone.
   */
  stream?: (sink: Sink) => () => void
}

export class BodyTooLong extends Error {}

export const json = (status: number, value: unknown, headers: Record<string, string> = {}): HttpResponse => ({
  status,
  headers: { 'content-type': 'application/json', ...headers },
  body: JSON.stringify(value),
})

/** A message of the protocol, or several. */
export const jsonMessage = (message: Message | readonly Message[]): HttpResponse => ({
  status: 200,
  headers: { 'content-type': 'application/json' },
  body: encode(message),
})

/** A refusal below the protocol: a JSON-RPC error without an id as the body. */
export const refusal = (
  status: number,
  message: string,
  code = -32000,
  headers: Record<string, string> = {},
): HttpResponse => json(status, { jsonrpc: '2.0', error: { code, message } }, headers)

export const empty = (status: number, headers: Record<string, string> = {}): HttpResponse => ({ status, headers })

const maxOnlyCharacters = 2000
const maxOnlyNames = 100

/** `?only=` in the URL limits the parts of a session. Returns a refusal if the list is too long. */
export function onlyOf(request: HttpRequest): string | undefined | HttpResponse {
  const only = new URLSearchParams(request.query).get('only') ?? undefined
  if (only === undefined) return undefined
  if (only.length <= maxOnlyCharacters && only.split(',').length <= maxOnlyNames) return only
  return refusal(400, `"only" takes at most ${maxOnlyNames} names in ${maxOnlyCharacters} characters.`)
}
