import type { Incoming } from '../protocol/incoming.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import { type LogLevel, logLevels } from '../protocol/types.js'
import type { Feature } from './feature.js'
import type { Session } from './session.js'

/** logging/setLevel, and log messages of calls (Logging). */
export const logging: Feature = {
  declare: (_index, isStateless) => (isStateless ? {} : { logging: {} }),
  isOffered: (session) => session.capabilities.logging !== undefined,
  answers: {
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

/** Sends one log message on the stream of the request that it came from; below the session's level it is not sent. */
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
    // What JSON cannot carry (a cycle, a bigint) is still worth a line.
    return session.running.mask(String(value))
  }
}
