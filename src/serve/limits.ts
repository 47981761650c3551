import { numbersOf } from '../kit/numbers.js'
import type { Environment } from '../kit/settings.js'
import type { HttpLimits } from '../transport/http/limits.js'

/** Limits from the environment; others keep their defaults. Times in milliseconds, sizes in bytes. */
export interface ServeLimits {
  http: Partial<HttpLimits>
  maxBytes?: number
  graceMs?: number
  drainMs?: number
  pageSize?: number
}

const httpVariables: Readonly<Record<string, keyof HttpLimits>> = {
  JEXO_MAX_BYTES: 'maxBytes',
  JEXO_MAX_SESSIONS: 'maxSessions',
  JEXO_MAX_STREAMS: 'maxStreams',
  JEXO_MAX_IN_FLIGHT: 'maxInFlight',
  JEXO_MAX_WAITING: 'maxWaiting',
  JEXO_IDLE_MS: 'idleMs',
  JEXO_HANDSHAKE_MS: 'handshakeMs',
  JEXO_MAX_UNREAD_BYTES: 'maxUnreadBytes',
  JEXO_HEARTBEAT_MS: 'heartbeatMs',
  JEXO_CLOSE_STREAM_AFTER_MS: 'closeStreamAfterMs',
  JEXO_STREAM_AFTER_MS: 'streamAfterMs',
}
const otherVariables = {
  JEXO_MAX_BYTES: 'maxBytes',
  JEXO_GRACE_MS: 'graceMs',
  JEXO_DRAIN_MS: 'drainMs',
  JEXO_PAGE_SIZE: 'pageSize',
} as const

/** Reads the limits. Throws a `JexoError` that names a variable that is not an integer. */
export function readLimits(environment: Environment): ServeLimits {
  return { ...numbersOf(environment, otherVariables), http: numbersOf(environment, httpVariables) }
}
