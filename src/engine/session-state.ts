import { isObject } from '../protocol/messages.js'
import { findRevision } from '../protocol/revisions.js'
import { type ClientCapabilities, type Implementation, type LogLevel, logLevels } from '../protocol/types.js'
import type { Session } from './session.js'

/** The state with which another process can continue a session. */
export interface SessionState {
  isReady: boolean
  revision: string
  client: Implementation | undefined
  clientCapabilities: ClientCapabilities
  logLevel: LogLevel
}

/** The state of a session as it is now. */
export const stateOf = ({ phase, revision, client, clientCapabilities, logLevel }: Session): SessionState => ({
  isReady: phase === 'ready',
  revision: revision.date,
  client,
  clientCapabilities,
  logLevel,
})

/** Continues with the state of another process. */
export function restore(session: Session, state: SessionState): void {
  const { isReady, revision, client, clientCapabilities, logLevel } = state
  session.phase = isReady ? 'ready' : 'initializing'
  session.revision = findRevision(revision) ?? session.revision
  session.client = client
  session.clientCapabilities = clientCapabilities
  session.logLevel = logLevel
}

/** Parses a state; undefined if it is not valid, such as one of an unknown version. */
export function stateIn(value: unknown): SessionState | undefined {
  if (!isObject(value) || typeof value.isReady !== 'boolean' || typeof value.revision !== 'string') return undefined
  const { isReady, revision, client, clientCapabilities } = value
  const logLevel = value.logLevel as LogLevel
  if (findRevision(revision)?.date !== revision || !logLevels.includes(logLevel)) return undefined
  if (!isObject(clientCapabilities) || (client !== undefined && !isObject(client))) return undefined
  return { isReady, revision, client: client as Implementation | undefined, clientCapabilities, logLevel }
}
