import type { Attributes } from '@opentelemetry/api'
import { isJexoError } from '../errors.js'
import type { JsonObject, RequestId } from '../protocol/messages.js'
import { RpcError } from '../protocol/rpc-error.js'
import type { RequestEnd } from '../protocol/watch.js'
import type { WatchedSession } from './telemetry.js'

/** Methods of the standard. Peers can send any other text, each of which would create a metric. */
const methods: ReadonlySet<string> = new Set([
  ...['initialize', 'ping', 'tools/list', 'tools/call', 'resources/list', 'resources/templates/list'],
  ...['resources/read', 'resources/subscribe', 'resources/unsubscribe', 'prompts/list', 'prompts/get'],
  ...['completion/complete', 'logging/setLevel', 'elicitation/create', 'sampling/createMessage', 'roots/list'],
  ...['tasks/get', 'tasks/list', 'tasks/result', 'tasks/cancel'],
])

/** Names of spans and attributes of one request. */
export interface Described {
  /** `{method} {target}`, such as `tools/call weigh_hive`. */
  readonly spanName: string
  /** Attributes of spans and metrics. */
  readonly shared: Attributes
  /** Attributes of spans only, since they have many values. */
  readonly own: Attributes
}

/** Describes a request by OpenTelemetry's conventions for the protocol. Arguments and results are never part of it. */
export function describe(
  session: WatchedSession,
  id: RequestId,
  method: string,
  params: JsonObject | undefined,
): Described {
  const known = methods.has(method) ? method : '_OTHER'
  const { name, uri } = params ?? {}
  const target =
    (known === 'tools/call' || known === 'prompts/get') && typeof name === 'string' && session.knows(known, name)
      ? name
      : undefined
  return {
    spanName: target === undefined ? known : `${known} ${target}`,
    shared: {
      'mcp.method.name': known,
      'mcp.protocol.version': session.revisionDate,
      ...networkAttributes(session),
      ...(known === 'tools/call' ? { 'gen_ai.operation.name': 'execute_tool' } : {}),
      ...(target === undefined ? {} : { [targetAttribute[known] as string]: target }),
    },
    own: {
      'jsonrpc.request.id': String(id).slice(0, 100),
      ...(session.sessionId === undefined ? {} : { 'mcp.session.id': session.sessionId }),
      ...(typeof uri === 'string' ? { 'mcp.resource.uri': session.mask(uri.slice(0, 1000)) } : {}),
    },
  }
}

const targetAttribute: Readonly<Record<string, string>> = {
  'tools/call': 'gen_ai.tool.name',
  'prompts/get': 'gen_ai.prompt.name',
}

export function networkAttributes({ network }: WatchedSession): Attributes {
  const { transport, address, port } = network
  return {
    ...(transport === undefined ? {} : { 'network.transport': transport }),
    ...(transport === 'tcp' ? { 'network.protocol.name': 'http' } : {}),
    ...(address === undefined ? {} : { 'server.address': address }),
    ...(port === undefined ? {} : { 'server.port': port }),
  }
}

/** Attributes of a failed request; empty on success. `message` is for the span's status. */
export function failureIn(end: RequestEnd): { attributes: Attributes; message?: string } | undefined {
  if (end.kind === 'cancelled') return { attributes: { 'error.type': 'cancelled' } }
  if (end.kind === 'result')
    return end.result.isError === true ? { attributes: { 'error.type': 'tool_error' } } : undefined
  const { error } = end
  if (error instanceof RpcError) {
    const code = String(error.code)
    return { attributes: { 'error.type': code, 'rpc.response.status_code': code }, message: error.message }
  }
  return {
    attributes: { 'error.type': errorType(error) },
    message: String((error as Error | null)?.message ?? error),
  }
}

/** A stable name of an error: its code, or the name of its class. */
export function errorType(error: unknown): string {
  if (isJexoError(error)) return error.code
  const { name } = (error ?? {}) as { name?: unknown }
  if (name === 'AbortError') return 'cancelled'
  return typeof name === 'string' && /^\w{1,60}$/.test(name) ? name : '_OTHER'
}
