import type { JsonObject } from '../../protocol/messages.js'
import type { Pattern } from './pattern.js'

export type WireTransport = 'stdio' | 'http' | 'two-endpoint'

/**
 * Features of a server that a check can use. Rows name its values by placeholders such as `{{tool.name}}`; a server that lacks
 * a thing is not held to the rows that need it.
 */
export interface Subject {
  /** A tool that only reads; `wrong` are arguments that its schema refuses, because of `field`. */
  tool?: { name: string; arguments: JsonObject; wrong: JsonObject; field: string }
  /** A tool with an output schema. */
  structuredTool?: Called
  /** A tool whose call always fails. */
  failingTool?: Called
  /** A tool whose result breaks its own output schema. */
  lyingTool?: Called
  /** A tool that reports progress at least twice. */
  progressTool?: Called
  /** A tool that logs at `debug` and at `warning`. */
  loggingTool?: Called
  /** A tool that runs until it is cancelled. */
  waitingTool?: Called
  /** A tool that takes some tenths of a second. */
  slowTool?: Called
  /** Tools that give one kind of content. */
  audioTool?: Called
  linkTool?: Called
  /** A tool that asks the person by a form, and what may be answered. */
  formTool?: Called & { content: JsonObject }
  /** A tool that sends the person to a URL, and one that refuses until a URL was visited. */
  urlTool?: Called
  visitTool?: Called
  samplingTool?: Called
  samplingWithToolsTool?: Called
  rootsTool?: Called
  /** A tool that changes a resource. */
  touchingTool?: Called & { uri: string }
  /** A tool that changes which tools there are. */
  growingTool?: Called
  resource?: { uri: string }
  binaryResource?: { uri: string }
  /** A template, and a URI that it makes. */
  template?: { uriTemplate: string; uri: string; variable: string }
  prompt?: { name: string; arguments: JsonObject; required: string }
  /** A prompt's argument that completes. */
  completion?: { prompt: string; argument: string; typed: string }
  /** Tools that may run as a task, that have to, and that cannot though the server has tasks. */
  taskTool?: Called
  taskOnlyTool?: Called
  taskFreeTool?: Called
  /** The server has no tasks at all. */
  taskFree?: true
  /** Over HTTP: callers need a token. Tokens that no server may accept. */
  access?: { unsigned: string; forged: string }
  /** The endpoint with a valid token in its query. */
  accessToken?: { query: string }
  /** URL of the server's metadata for sign-in, and the URL in the metadata. */
  accessMetadata?: { path: string; resource: string }
}
export interface Called {
  name: string
  arguments: JsonObject
}
export type Need = keyof Subject

/** One request over HTTP, below the protocol. `{{session}}` and `{{revision}}` stand for those of the open session. */
export interface HttpStep {
  method: string
  headers: Readonly<Record<string, string>>
  /** Text as it is, anything else as JSON. */
  body?: unknown
  /** Path of the request. Default: the endpoint. */
  path?: string
  /** Sent without the headers that callers of this server usually send, such as a token. */
  isBare?: true
}
export interface HttpExpectation {
  status: Pattern
  headers?: Pattern
  /** The body as JSON where it is JSON, else as text. */
  body?: Pattern
}

/** A step of an exchange. */
export type Step =
  | { send: unknown }
  /** A line as it is on stdio, a body as it is over HTTP. */
  | { sendText: string }
  /**
   * A message like this comes, each taken once; `isInOrder`: after the one that was taken last. `as` keeps it for placeholders such
   * as `{{question.id}}`.
   */
  | { expect: Pattern; as?: string; isInOrder?: true }
  /** No matching message arrived during the check; tested after the response to a final ping. */
  | { never: Pattern }
  | { request: HttpStep; answers: HttpExpectation }

/** One thing that the standard asks of a server, as data: what it needs, what is exchanged, what has to come. */
export interface Requirement {
  readonly id: string
  /** The requirement, in a sentence. */
  readonly says: string
  /** Page and heading of the published standard: `Tools: Calling Tools`. */
  readonly section: string
  /** First and last revision it holds in, `R1` to `R4`; all if they are omitted. */
  readonly from?: 'R2' | 'R3' | 'R4'
  readonly to?: 'R1' | 'R2' | 'R3'
  readonly transports?: readonly WireTransport[]
  readonly needs?: readonly Need[]
  /** Capabilities that the client declares. */
  readonly client?: JsonObject
  /** How far the session is opened before: not at all, `initialize` answered, or ready (also by default). */
  readonly opening?: 'none' | 'answered' | 'ready'
  /** The session is of no use to other rows afterwards. */
  readonly isLast?: boolean
  readonly exchange: readonly Step[]
}

/** A request with the id of this row. */
export const request = (method: string, params?: unknown, id: unknown = '{{id}}'): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', id, method, ...(params === undefined ? {} : { params }) },
})
export const notification = (method: string, params?: unknown): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', method, ...(params === undefined ? {} : { params }) },
})
/** The request of this row is answered with a result like this. */
export const result = (pattern: Pattern, id: unknown = '{{id}}'): { expect: Pattern } => ({
  expect: { jsonrpc: '2.0', id, result: pattern, error: { $is: 'absent' } },
})
/** The request of this row is refused with this code. */
export const refused = (code: number, more: JsonObject = {}, id: unknown = '{{id}}'): { expect: Pattern } => ({
  expect: {
    jsonrpc: '2.0',
    id,
    error: { code, message: { $is: 'string' }, ...more },
    result: { $is: 'absent' },
  },
})
/** An answer of our side to what the server asked. */
export const reply = (to: string, answer: JsonObject): { send: JsonObject } => ({
  send: { jsonrpc: '2.0', id: `{{${to}.id}}`, ...answer },
})
export const call = (need: Need, more: JsonObject = {}): { send: JsonObject } =>
  request('tools/call', { name: `{{${need}.name}}`, arguments: `{{${need}.arguments}}`, ...more })

/** Features that a check requires: declared ones, and those of its placeholders. */
export function needsOf({ needs = [], exchange }: Requirement): string[] {
  const named = [
    ...JSON.stringify(exchange).matchAll(
      /\{\{([a-z]+Tool|tool|[a-zA-Z]*[rR]esource|template|prompt|completion)\./gi,
    ),
  ]
  return [...new Set([...needs, ...named.map(([, need = '']) => need)])]
}
