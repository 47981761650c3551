import type { Identity } from '../../kit/call.js'
import { ownerOf } from '../../kit/owner.js'
import { when } from '../../kit/when.js'
import { type HttpRequest, type HttpResponse, refusal } from './exchange.js'
import { versionHeader } from './refusals.js'
import type { HttpSession } from './session.js'
import type { Sessions } from './sessions.js'

export const sessionHeader = 'mcp-session-id'

/** Runs a function in the session of a request; refuses if there is none. */
export function inSession(
  sessions: Sessions,
  request: HttpRequest,
  identity: Identity | undefined,
  act: (session: HttpSession) => HttpResponse | Promise<HttpResponse>,
): HttpResponse | Promise<HttpResponse> {
  const id = request.header(sessionHeader)
  if (id === undefined)
    return refusal(400, 'Mcp-Session-Id is missing; send initialize first and keep the id of its response.')
  return when(sessions.find(id), (session) => {
    // A session does not authenticate its caller; for other callers it does not exist.
    if (!session || session.owner !== (identity && ownerOf(identity)))
      return refusal(404, 'This session is unknown or has ended; send initialize again.')
    session.seen()
    const version = request.header(versionHeader)
    if (version !== undefined && version !== session.engine.revision.date) {
      return refusal(
        400,
        `MCP-Protocol-Version is ${version}, but this session speaks ${session.engine.revision.date}.`,
      )
    }
    return act(session)
  })
}
