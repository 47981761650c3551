import type { Pattern } from '../pattern.js'
import type { HttpStep, Requirement } from '../requirement.js'

/** Headers of a request that has no session yet. */
export const both = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }
/** Headers of a request in the session. */
export const inSession = { ...both, 'mcp-session-id': '{{session}}' }
export const ping = { jsonrpc: '2.0', id: 1, method: 'ping' }
export const post = (headers: Readonly<Record<string, string>>, body: unknown): HttpStep => ({
  method: 'POST',
  headers,
  body,
})
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
/** A requirement that one request and its response check. */
export const row = ({ id, says, asks, status, headers, body, ...more }: HttpRow): Requirement => ({
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
