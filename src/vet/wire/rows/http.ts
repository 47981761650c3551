import type { Pattern } from '../pattern.js'
import type { HttpStep, Requirement } from '../requirement.js'

const both = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }
const inSession = { ...both, 'mcp-session-id': '{{session}}' }
const ping = { jsonrpc: '2.0', id: 1, method: 'ping' }
const hello = {
  jsonrpc: '2.0',
  id: 1,
  method: 'initialize',
  params: { protocolVersion: '{{revision}}', capabilities: {}, clientInfo: { name: 'jexo-vet', version: '1' } },
}
const post = (headers: Readonly<Record<string, string>>, body: unknown): HttpStep => ({
  method: 'POST',
  headers,
  body,
})
const refusal = { error: { message: { $is: 'string' } }, id: { $is: 'absent' } }

interface HttpRow {
  id: string
  says: string
  asks: HttpStep
  status: Pattern
  headers?: Pattern
  body?: Pattern
  opening?: 'none'
  from?: 'R3'
  isLast?: true
}
const row = ({ id, says, asks, status, headers, body, ...more }: HttpRow): Requirement => ({
  id: `http/${id}`,
  says,
  section: 'Transports: Streamable HTTP',
  transports: ['http'],
  ...more,
  exchange: [
    {
      request: asks,
      response: { status, ...(headers === undefined ? {} : { headers }), ...(body === undefined ? {} : { body }) },
    },
  ],
})

/** Streamable HTTP below the protocol (Transports, "Streamable HTTP"). */
export const httpRows: readonly Requirement[] = [
  row({
    id: 'initialize',
    says: 'The response to initialize has a session id of visible ASCII characters.',
    opening: 'none',
    asks: post(both, hello),
    status: 200,
    headers: { 'mcp-session-id': { $matches: '^[\\x21-\\x7e]{16,}$' } },
    body: { id: 1, result: { $is: 'object' } },
  }),
  row({
    id: 'notification-202',
    says: 'A notification gets status 202 and no body.',
    asks: post(inSession, { jsonrpc: '2.0', method: 'notifications/other' }),
    status: 202,
    body: '',
  }),
  row({
    id: 'response-202',
    says: 'A response gets status 202 and no body.',
    asks: post(inSession, { jsonrpc: '2.0', id: 9, result: {} }),
    status: 202,
    body: '',
  }),
  row({
    id: 'request-json',
    says: 'A request without streamed messages gets a JSON response.',
    asks: post(inSession, ping),
    status: 200,
    headers: { 'content-type': { $matches: '^application/json' } },
    body: { id: 1, result: {} },
  }),
  row({
    id: 'error-200',
    says: 'A JSON-RPC error in response to a request has status 200.',
    asks: post(inSession, { jsonrpc: '2.0', id: 1, method: 'nope' }),
    status: 200,
    body: { id: 1, error: { code: -32601 } },
  }),
  row({
    id: 'accept-json-only',
    says: 'An Accept without event streams is refused with 406.',
    asks: post({ ...inSession, accept: 'application/json' }, ping),
    status: 406,
    body: refusal,
  }),
  row({
    id: 'accept-stream-only',
    says: 'An Accept without JSON is refused with 406.',
    asks: post({ ...inSession, accept: 'text/event-stream' }, ping),
    status: 406,
    body: refusal,
  }),
  row({
    id: 'accept-anything',
    says: 'Accept: */* counts as both.',
    asks: post({ ...inSession, accept: '*/*' }, ping),
    status: 200,
    body: { id: 1, result: {} },
  }),
  row({
    id: 'accept-with-parameters',
    says: 'Accept may contain weights, spaces, capitals and further types.',
    asks: post({ ...inSession, accept: 'text/html, Application/JSON;q=0.9 ,text/event-stream ; q=0.5' }, ping),
    status: 200,
    body: { id: 1, result: {} },
  }),
  row({
    id: 'content-type-with-charset',
    says: 'Content-Type may have a charset.',
    asks: post({ ...inSession, 'content-type': 'application/json; charset=utf-8' }, ping),
    status: 200,
    body: { id: 1, result: {} },
  }),
  ...['text/plain', 'application/x-www-form-urlencoded', 'multipart/form-data; boundary=x'].map((type) =>
    row({
      id: `content-type-${type.replace(/\W+/g, '-')}`,
      says: `A body of the type ${type} is refused with 415.`,
      asks: post({ ...inSession, 'content-type': type }, ping),
      status: 415,
      body: refusal,
    }),
  ),
  row({
    id: 'unparsable',
    says: 'A body that is not JSON is refused with 400 and -32700.',
    asks: post(inSession, '{"jsonrpc":'),
    status: 400,
    body: { error: { code: -32700 }, id: { $is: 'absent' } },
  }),
  row({
    id: 'empty-body',
    says: 'An empty body is refused with 400 and -32700.',
    asks: post(inSession, ''),
    status: 400,
    body: { error: { code: -32700 } },
  }),
  row({
    id: 'batch-refused',
    says: 'A batch is refused with 400 and -32600 from revision 2025-06-18 on.',
    from: 'R3',
    asks: post(inSession, [ping]),
    status: 400,
    body: { error: { code: -32600 } },
  }),
  row({
    id: 'session-missing',
    says: 'A request without its session id, even a ping, is refused with 400.',
    asks: post(both, ping),
    status: 400,
    body: refusal,
  }),
  row({
    id: 'session-unknown',
    says: 'An unknown session is refused with 404.',
    asks: post({ ...both, 'mcp-session-id': 'nobody' }, ping),
    status: 404,
    body: refusal,
  }),
  row({
    id: 'second-initialize',
    says: 'A second initialize on a session is refused with -32600.',
    asks: post(inSession, hello),
    status: 200,
    body: { id: 1, error: { code: -32600 } },
  }),
  row({
    id: 'version-right',
    says: 'The negotiated version is accepted as MCP-Protocol-Version.',
    asks: post({ ...inSession, 'mcp-protocol-version': '{{revision}}' }, ping),
    status: 200,
  }),
  row({
    id: 'version-unknown',
    says: 'An unsupported MCP-Protocol-Version is refused with 400.',
    asks: post({ ...inSession, 'mcp-protocol-version': '1999-01-01' }, ping),
    status: 400,
    body: refusal,
  }),
  row({
    id: 'origin-foreign',
    says: 'A request with a foreign Origin is refused with 403.',
    asks: post({ ...inSession, origin: 'https://elsewhere.example' }, ping),
    status: 403,
    body: refusal,
  }),
  row({
    id: 'origin-opaque',
    says: 'The opaque origin "null" is refused with 403.',
    asks: post({ ...inSession, origin: 'null' }, ping),
    status: 403,
    body: refusal,
  }),
  row({
    id: 'origin-foreign-initialize',
    says: 'A page of another origin cannot open a session.',
    opening: 'none',
    asks: post({ ...both, origin: 'https://elsewhere.example' }, hello),
    status: 403,
    headers: { 'mcp-session-id': { $is: 'absent' } },
  }),
  row({
    id: 'no-cors',
    says: 'There are no CORS headers unless they are configured.',
    asks: post(inSession, ping),
    status: 200,
    headers: { 'access-control-allow-origin': { $is: 'absent' } },
  }),
  row({
    id: 'get-stream',
    says: 'GET opens a standing stream, or is refused with 405.',
    asks: { method: 'GET', headers: { accept: 'text/event-stream', 'mcp-session-id': '{{session}}' } },
    status: { $oneOf: [200, 405] },
  }),
  row({
    id: 'stream-headers',
    says: 'The headers of a stream forbid caching, transforming and buffering.',
    asks: { method: 'GET', headers: { accept: 'text/event-stream', 'mcp-session-id': '{{session}}' } },
    status: 200,
    headers: {
      'content-type': { $matches: '^text/event-stream' },
      'cache-control': 'no-cache, no-transform',
      'x-accel-buffering': 'no',
    },
  }),
  row({
    id: 'get-not-accepting',
    says: 'A GET that does not accept event streams is refused with 406.',
    asks: { method: 'GET', headers: { accept: 'application/json', 'mcp-session-id': '{{session}}' } },
    status: 406,
  }),
  row({
    id: 'get-without-session',
    says: 'A GET without a session id is refused with 400.',
    asks: { method: 'GET', headers: { accept: 'text/event-stream' } },
    status: 400,
  }),
  row({
    id: 'get-unknown-session',
    says: 'A GET of an unknown session is refused with 404.',
    asks: { method: 'GET', headers: { accept: 'text/event-stream', 'mcp-session-id': 'nobody' } },
    status: 404,
  }),
  row({
    id: 'get-unknown-event',
    says: 'Resuming after an unknown event is refused.',
    asks: {
      method: 'GET',
      headers: { accept: 'text/event-stream', 'mcp-session-id': '{{session}}', 'last-event-id': 'nobody' },
    },
    status: { $oneOf: [400, 404] },
  }),
  row({
    id: 'delete-unknown-session',
    says: 'DELETE of an unknown session is refused with 404.',
    asks: { method: 'DELETE', headers: { 'mcp-session-id': 'nobody' } },
    status: { $oneOf: [404, 405] },
  }),
  row({
    id: 'delete-without-session',
    says: 'DELETE without a session id is refused with 400.',
    asks: { method: 'DELETE', headers: {} },
    status: { $oneOf: [400, 405] },
  }),
  {
    id: 'http/delete',
    says: 'DELETE ends the session, and its id becomes unknown.',
    section: 'Transports: Streamable HTTP',
    transports: ['http'],
    isLast: true,
    exchange: [
      {
        request: { method: 'DELETE', headers: { 'mcp-session-id': '{{session}}' } },
        response: { status: { $oneOf: [200, 204] } },
      },
      { request: post(inSession, ping), response: { status: 404 } },
    ],
  },
  row({
    id: 'method-unknown',
    says: 'PUT is refused with 405, and Allow lists the offered methods.',
    asks: { method: 'PUT', headers: inSession, body: ping },
    status: 405,
    headers: { allow: { $matches: 'POST' } },
  }),
  row({
    id: 'streamed-progress',
    says: 'A call that reports progress gets an event stream.',
    asks: post(inSession, {
      jsonrpc: '2.0',
      id: 'p',
      method: 'tools/call',
      params: {
        name: '{{progressTool.name}}',
        arguments: '{{progressTool.arguments}}',
        _meta: { progressToken: 'p' },
      },
    }),
    status: 200,
    headers: { 'content-type': { $matches: '^text/event-stream' } },
    body: { $matches: 'notifications/progress[\\s\\S]*"id":"p"' },
  }),
  {
    ...row({
      id: 'primed-stream',
      says: 'A stream begins with an event that has an id, no data, and a retry time.',
      asks: post(inSession, {
        jsonrpc: '2.0',
        id: 'q',
        method: 'tools/call',
        params: {
          name: '{{progressTool.name}}',
          arguments: '{{progressTool.arguments}}',
          _meta: { progressToken: 'q' },
        },
      }),
      status: 200,
      body: { $matches: '^(id: .+\\nretry: \\d+\\n|retry: \\d+\\nid: .+\\n)data: ?\\n\\n' },
    }),
    from: 'R4',
  },
]
