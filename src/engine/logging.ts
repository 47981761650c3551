import type { Incoming } from '../protocol/dialogue.js'
import { rpcErrors } from '../protocol/rpc-error.js'
import { type LogLevel, logLevels } from '../protocol/types.js'
import type { Engine } from './engine.js'
import type { Feature } from './features.js'

/** logging/setLevel, and log messages of calls (Logging). */
export const logging: Feature = {
  declare: (_index, isStateless) => (isStateless ? {} : { logging: {} }),
  isOffered: (engine) => engine.capabilities.logging !== undefined,
  answers: {
    'logging/setLevel': (engine, { params }) => {
      const level = params.level as LogLevel
      if (!logLevels.includes(level)) {
        throw rpcErrors.invalidParams(`"level" must be one of ${logLevels.join(', ')}`)
      }
      engine.logLevel = level
      return {}
    },
  },
}

/** Sends one log message on the stream of the request that it came from; below the session's level it is not sent. */
export function sendLog(
  engine: Engine,
  incoming: Incoming,
  level: LogLevel,
  logger: string,
  message: string,
  data: unknown,
): void {
  if (logLevels.indexOf(level) < logLevels.indexOf(engine.logLevel)) return
  const body = data === undefined ? message : { message, data }
  incoming.notify('notifications/message', { level, logger, data: masked(engine, body) })
}

function masked(engine: Engine, value: unknown): unknown {
  try {
    const text = JSON.stringify(value)
    return text === undefined ? String(value) : JSON.parse(engine.running.mask(text))
  } catch {
    // What JSON cannot carry (a cycle, a bigint) is still worth a line.
    return engine.running.mask(String(value))
  }
}
