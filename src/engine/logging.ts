import type { Incoming } from '../protocol/incoming.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import { type LogLevel, logLevels } from '../protocol/types.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

/** logging/setLevel, and log messages of calls (Logging). */
export const logging: Feature = {
  declare: (_index, isStateless) => (isStateless ? {} : { logging: {} }),
  isOffered: (session) => session.capabilities.logging !== undefined,
  requests: {
    'logging/setLevel': (session, { params }) => {
      const level = params.level as LogLevel
      if (!logLevels.includes(level)) {
        throw rpcErrors.invalidParams(`"level" must be one of ${logLevels.join(', ')}`)
      }
      session.logLevel = level
      return {}
    },
  },
}

/** Sends a log message on the stream of its request, unless it is below the session's level. */
export function sendLog(
  session: Session,
  incoming: Incoming,
  level: LogLevel,
  logger: string,
  message: string,
  data: unknown,
): void {
  if (logLevels.indexOf(level) < logLevels.indexOf(session.logLevel)) return
  const body = data === undefined ? message : { message, data }
  incoming.notify('notifications/message', { level, logger, data: masked(session, body) })
}

function masked(session: Session, value: unknown): unknown {
  try {
    const text = JSON.stringify(value)
    return text === undefined ? String(value) : JSON.parse(session.running.mask(text))
  } catch {
    // Values that JSON cannot represent (a cycle, a bigint) still produce a line.
    return session.running.mask(String(value))
  }
}
