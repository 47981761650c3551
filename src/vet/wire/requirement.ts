import type { JsonObject } from '../../protocol/messages.js'
import type { Pattern } from './pattern.js'

export type WireTransport = 'stdio' | 'http' | 'two-endpoint'

/**
 * Features of a server that a check can use. Checks refer to their values by placeholders such as `{{tool.name}}`; a
 * check does not apply to a server without the features that it needs.
 */
export interface Subject {
  /** A read-only tool; `wrong` are arguments that its schema refuses because of `field`. */
  tool?: { name: string; arguments: JsonObject; wrong: JsonObject; field: string }
  /** A tool with an output schema. */
  structuredTool?: Called
  /** A tool whose call always fails. */
  failingTool?: Called
  /** A tool whose result violates its output schema. */
  lyingTool?: Called
  /** A tool that reports progress at least twice. */
  progressTool?: Called
  /** A tool that logs at `debug` and at `warning`. */
  loggingTool?: Called
  /** A tool that runs until it is cancelled. */
  waitingTool?: Called
  /** A tool that takes some tenths of a second. */
  slowTool?: Called
  /** Tools that return one kind of content. */
  audioTool?: Called
  linkTool?: Called
  /** A tool that asks the user with a form, and a valid answer. */
  formTool?: Called & { content: JsonObject }
  /** A tool that sends the user to a URL, and one that refuses until a URL was visited. */
  urlTool?: Called
  visitTool?: Called
  samplingTool?: Called
  samplingWithToolsTool?: Called
  rootsTool?: Called
  /** A tool that changes a resource. */
  touchingTool?: Called & { uri: string }
  /** A tool that changes the list of tools. */
  growingTool?: Called
  resource?: { uri: string }
  binaryResource?: { uri: string }
  /** A template, and a URI that matches it. */
  template?: { uriTemplate: string; uri: string; variable: string }
  prompt?: { name: string; arguments: JsonObject; required: string }
  /** A prompt argument with completions. */
  completion?: { prompt: string; argument: string; typed: string }
  /** Tools that may run as a task, must run as a task, and cannot, although the server has tasks. */
  taskTool?: Called
  taskOnlyTool?: Called
  taskFreeTool?: Called
  /** The server has no tasks at all. */
  taskFree?: true
  /** Over HTTP, if callers need a token: tokens that no server may accept. */
  access?: { unsigned: string; forged: string }
  /** The endpoint with a valid token in its query. */
  accessToken?: { query: string }
  /** URL of the server's metadata for sign-in, and the URL in that metadata. */
  accessMetadata?: { path: string; resource: string }
}
export interface Called {
  name: string
  arguments: JsonObject
}
export type Need = keyof Subject

/** One HTTP request, below the protocol. `{{session}}` and `{{revision}}` stand for those of the open session. */
export interface HttpStep {
  method: string
  headers: Readonly<Record<string, string>>
  /** Strings unchanged; other values as JSON. */
  body?: unknown
  /** Path of the request. Default: the endpoint. */
  path?: string
  /** Sent without the headers that callers of this server usually send, such as a token. */
  isBare?: true
}
export interface HttpExpectation {
  status: Pattern
  headers?: Pattern
  /** The body, parsed if it is JSON, otherwise as text. */
  body?: Pattern
}

/** A step of an exchange. */
export type Step =
  | { send: unknown }
  /** A raw line on stdio, or a raw body over HTTP. */
  | { sendText: string }
  /**
   * A message that matches arrives; each message is used once. `isInOrder`: after the previous match. `as` stores it
   * for placeholders such as `{{question.id}}`.
   */
  | { expect: Pattern; as?: string; isInOrder?: true }
  /** No matching message arrived during the check; tested after the response to a final ping. */
  | { never: Pattern }
  | { request: HttpStep; response: HttpExpectation }

/** One requirement of the standard as data: the features it needs, the exchange, and the expected messages. */
export interface Requirement {
  readonly id: string
  /** The requirement, in a sentence. */
  readonly says: string
  /** Page and heading of the published standard: `Tools: Calling Tools`. */
  readonly section: string
  /** First and last revision in which it applies, `R1` to `R4`. Default: all. */
  readonly from?: 'R2' | 'R3' | 'R4'
  readonly to?: 'R1' | 'R2' | 'R3'
  readonly transports?: readonly WireTransport[]
  readonly needs?: readonly Need[]
  /** Capabilities that the client declares. */
  readonly client?: JsonObject
  /** State of the session at the start: not opened, `initialize` answered, or ready. Default: ready. */
  readonly opening?: 'none' | 'initializing' | 'ready'
  /** Other checks cannot use the session afterwards. */
  readonly isLast?: boolean
  readonly exchange: readonly Step[]
}

/** A request with the id of this check. */
export const request = (method: string, params?: unknown, id: unknown = '{{id}}'): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', id, method, ...(params === undefined ? {} : { params }) },
})
export const notification = (method: string, params?: unknown): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', method, ...(params === undefined ? {} : { params }) },
})
/** The request of this check is answered with a matching result. */
export const result = (pattern: Pattern, id: unknown = '{{id}}'): { expect: Pattern } => ({
  expect: { jsonrpc: '2.0', id, result: pattern, error: { $is: 'absent' } },
})
/** The request of this check is refused with this code. */
export const refused = (code: number, more: JsonObject = {}, id: unknown = '{{id}}'): { expect: Pattern } => ({
  expect: {
    jsonrpc: '2.0',
    id,
    error: { code, message: { $is: 'string' }, ...more },
    result: { $is: 'absent' },
  },
})
/** Our response to a request of the server. */
export const reply = (to: string, response: JsonObject): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', id: `{{${to}.id}}`, ...response },
})
export const call = (need: Need, more: JsonObject = {}): { send: JsonObject } =>
  request('tools/call', { name: `{{${need}.name}}`, arguments: `{{${need}.arguments}}`, ...more })

/** Features that a check needs: declared ones, and those of its placeholders. */
export function needsOf({ needs = [], exchange }: Requirement): string[] {
  const named = [
    ...JSON.stringify(exchange).matchAll(
      /\{\{([a-z]+Tool|tool|[a-zA-Z]*[rR]esource|template|prompt|completion)\./gi,
    ),
  ]
  return [...new Set([...needs, ...named.map(([, need = '']) => need)])]
}
