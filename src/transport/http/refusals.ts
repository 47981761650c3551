import type { ErrorResponse } from '../../protocol/messages.js'
import { assumedRevision, findRevision, type Revision, revisions } from '../../protocol/revisions.js'
import { codes } from '../../protocol/rpc-error.js'
import { type HttpRequest, type HttpResponse, json, refusal } from './exchange.js'
import type { HttpLimits } from './limits.js'

export const versionHeader = 'mcp-protocol-version'

/**
 * An error that answers a request with a readable id has status 200, as any response; otherwise the POST itself was
 * invalid.
 */
export function malformed(response: ErrorResponse | undefined): HttpResponse {
  if (response === undefined) return refusal(400, 'Invalid request: a malformed response', codes.invalidRequest)
  return json(response.id === undefined ? 400 : 200, response)
}

export const tooMany = (status: 429 | 503, message: string) =>
  refusal(status, message, -32000, { 'retry-after': '5' })

export function revisionOf(request: HttpRequest): Revision | undefined {
  const version = request.header(versionHeader)
  if (version === undefined) return assumedRevision
  const found = findRevision(version)
  return found?.date === version ? found : undefined
}

export const unsupportedVersion = (request: HttpRequest) =>
  refusal(
    400,
    `MCP-Protocol-Version ${request.header(versionHeader)} is not supported; known are ${revisions.map((known) => known.date).join(', ')}.`,
  )

export const fullOf = ({ maxSessions }: HttpLimits) =>
  tooMany(503, `There are ${maxSessions} sessions already; try again later.`)
