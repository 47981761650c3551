import { isOriginAllowed, type Sources } from './checks.js'
import { empty, type HttpRequest, type HttpResponse, refusal } from './exchange.js'

/** The response to a CORS preflight request. */
export function preflight({ allowedOrigins }: Sources, methods: string): HttpResponse {
  if (allowedOrigins.length === 0) {
    return refusal(405, 'Cross-origin calls are off; name the origin in allowedOrigins.', -32000, {
      allow: methods,
    })
  }
  return empty(204, {
    'access-control-allow-methods': methods,
    'access-control-allow-headers':
      'authorization, content-type, last-event-id, mcp-protocol-version, mcp-session-id',
    'access-control-max-age': '600',
  })
}

/** Lets pages of an allowed origin read a response. */
export function withCors(request: HttpRequest, response: HttpResponse, sources: Sources): HttpResponse {
  const origin = request.header('origin')
  if (origin === undefined || !sources.allowedOrigins.includes(origin)) return response
  if (!isOriginAllowed(origin, request.header('host'), sources)) return response
  response.headers['access-control-allow-origin'] = origin
  response.headers['access-control-expose-headers'] = 'Mcp-Session-Id, WWW-Authenticate'
  response.headers.vary = 'Origin'
  return response
}
