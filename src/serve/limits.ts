import { problems } from '../errors.js'
import type { Environment } from '../kit/settings.js'
import type { HttpLimits } from '../transport/http/limits.js'

/** Limits as the environment sets them; what it does not name keeps its default. Times in milliseconds, sizes in bytes. */
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
/** Those for which nothing at all is a sensible amount. */
const mayBeNone = new Set(['JEXO_CLOSE_STREAM_AFTER_MS', 'JEXO_GRACE_MS', 'JEXO_DRAIN_MS'])

/** Reads the limits; throws a `JexoError` that names the variable which is no whole number. */
export function readLimits(environment: Environment): ServeLimits {
  return { ...numbersOf(environment, otherVariables), http: numbersOf(environment, httpVariables) }
}

function numbersOf<Name extends string>(
  environment: Environment,
  variables: Readonly<Record<string, Name>>,
): Partial<Record<Name, number>> {
  const given = Object.entries(variables).flatMap(([variable, name]) => {
    const text = environment[variable]
    if (text === undefined || text === '') return []
    const isRight = /^\d{1,12}$/.test(text) && (Number(text) > 0 || mayBeNone.has(variable))
    if (!isRight) throw problems.argumentUnreadable(`${variable}=${text}`, 'a whole number, such as 5000')
    return [[name, Number(text)]]
  })
  return Object.fromEntries(given)
}
