import type { Requirement } from '../requirement.js'
import { inSession, ping, post, row } from './http-row.js'

/** Streams and the end of sessions of Streamable HTTP (Transports, "Streamable HTTP"). */
export const httpStreamRows: readonly Requirement[] = [
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
