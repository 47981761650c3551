/** JSON-RPC 2.0 as the standard uses it (Overview, "Messages"). */
export type JsonObject = { [key: string]: unknown }
export type RequestId = string | number

export interface Request {
  jsonrpc: '2.0'
  id: RequestId
  method: string
  params?: JsonObject
}
export interface Notification {
  jsonrpc: '2.0'
  method: string
  params?: JsonObject
}
export interface ResultResponse {
  jsonrpc: '2.0'
  id: RequestId
  result: JsonObject
}
export interface RpcFault {
  code: number
  message: string
  data?: unknown
}
export interface ErrorResponse {
  jsonrpc: '2.0'
  id?: RequestId
  error: RpcFault
}
export type Response = ResultResponse | ErrorResponse
export type Message = Request | Notification | Response

/** A parsed message. `malformed` contains the error response to send. */
export type Read =
  | { kind: 'request'; message: Request }
  | { kind: 'notification'; message: Notification }
  | { kind: 'response'; message: Response }
  | { kind: 'malformed'; response: ErrorResponse | undefined }

export const isObject = (value: unknown): value is JsonObject =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

const isId = (value: unknown): value is RequestId => typeof value === 'string' || Number.isInteger(value)

/** Maximum nesting of JSON from the wire. */
export const maxDepth = 200

/**
 * Parses JSON from the wire. Throws a `SyntaxError` for text that is not JSON, or that is nested so deeply that
 * recursive code would exceed the stack.
 */
export function parseJson(text: string): unknown {
  // Most messages are short, and cannot be nested deeply enough to matter.
  if (text.length > 2000 && depthIn(text) > maxDepth)
    throw new SyntaxError(`the JSON is nested more than ${maxDepth} levels deep`)
  return JSON.parse(text)
}

/** The maximum nesting of a JSON text, counted by brackets outside strings; stops counting at the limit. */
function depthIn(text: string): number {
  let depth = 0
  let deepest = 0
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at)
    if (code === quote) at = endOfString(text, at)
    else if (code === brace || code === bracket) {
      depth++
      if (depth > deepest) deepest = depth
      if (deepest > maxDepth) return deepest
    } else if (code === brace + 2 || code === bracket + 2) depth--
  }
  return deepest
}

const quote = 0x22
const brace = 0x7b
const bracket = 0x5b
const backslash = 0x5c

function endOfString(text: string, start: number): number {
  for (let end = text.indexOf('"', start + 1); end >= 0; end = text.indexOf('"', end + 1)) {
    let before = end - 1
    while (text.charCodeAt(before) === backslash) before--
    if ((end - before) % 2 === 1) return end
  }
  return text.length
}

/** Parses one value from the wire into a typed message (Overview, "Messages"). */
export function readMessage(value: unknown): Read {
  if (!isObject(value)) return malformed(undefined, 'a message is a JSON object')
  const id = isId(value.id) ? value.id : undefined
  if ('method' in value) return readCall(value, id)
  if ('result' in value || 'error' in value) return readResponse(value, id)
  return malformed(id, 'a message has a method, a result or an error')
}

/** The id of a value that would be a response if it were valid; undefined for anything else. */
export const unusableId = (value: unknown): RequestId | undefined =>
  isObject(value) && isId(value.id) && !('method' in value) ? value.id : undefined

export const unusableReason = 'it is not a valid JSON-RPC response'

/** Called for an unusable response whose id can be read. */
export type OnUnusable = (id: RequestId, reason: string) => void

/**
 * The messages in a text from the wire: one, a batch, or undefined if the text is not JSON. Malformed messages are left
 * out; a malformed response is reported, so that its request fails at once.
 */
export function messagesIn(text: string, onUnusable?: OnUnusable): Message[] | undefined {
  let value: unknown
  try {
    value = parseJson(text)
  } catch (error) {
    if (onUnusable) reportTooDeep(text, (error as Error).message, onUnusable)
    return undefined
  }
  return [value].flat().flatMap((item) => {
    const read = readMessage(item)
    if (read.kind !== 'malformed') return [read.message]
    const id = unusableId(item)
    if (id !== undefined) onUnusable?.(id, unusableReason)
    return []
  })
}

/** Finds the id of a message that is JSON, but nested too deeply. */
function reportTooDeep(text: string, reason: string, onUnusable: OnUnusable): void {
  try {
    const id = unusableId(JSON.parse(text))
    if (id !== undefined) onUnusable(id, reason)
  } catch {
    // Text that is not JSON at all belongs to no request.
  }
}

function readCall(value: JsonObject, id: RequestId | undefined): Read {
  if (value.jsonrpc !== '2.0') return malformed(id, 'jsonrpc must be "2.0"')
  if (typeof value.method !== 'string') return malformed(id, 'method must be a string')
  if ('id' in value && id === undefined) return malformed(undefined, 'id must be a string or an integer')
  if (value.params !== undefined && !isObject(value.params)) {
    return malformed(id, 'params must be an object', Array.isArray(value.params) ? -32602 : -32600)
  }
  return id === undefined
    ? { kind: 'notification', message: value as unknown as Notification }
    : { kind: 'request', message: value as unknown as Request }
}

function readResponse(value: JsonObject, id: RequestId | undefined): Read {
  const isError =
    isObject(value.error) && Number.isInteger(value.error.code) && typeof value.error.message === 'string'
  const isResult = isObject(value.result)
  const isWhole = value.jsonrpc === '2.0' && isError !== isResult && !('result' in value && 'error' in value)
  // A response is never answered, not even an invalid one, since two peers could otherwise loop.
  if (!isWhole || (isResult && id === undefined)) return { kind: 'malformed', response: undefined }
  return { kind: 'response', message: value as unknown as Response }
}

function malformed(id: RequestId | undefined, message: string, code = -32600): Read {
  return { kind: 'malformed', response: errorResponse(id, { code, message: `Invalid request: ${message}` }) }
}

/** An error response; the id is omitted if it could not be read. */
export function errorResponse(id: RequestId | undefined, error: RpcFault): ErrorResponse {
  return id === undefined ? { jsonrpc: '2.0', error } : { jsonrpc: '2.0', id, error }
}

export const isNotification = (message: Message): message is Notification =>
  'method' in message && !('id' in message)
export const isRequest = (message: Message): message is Request => 'method' in message && 'id' in message
export const isResponse = (message: Message): message is Response => !('method' in message)
