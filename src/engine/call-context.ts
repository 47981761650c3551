import type { Call, CallLog, CompletionCall } from '../kit/call.js'
import type { Schema } from '../kit/schema.js'
import type { Incoming } from '../protocol/dialogue.js'
import { type LogLevel, logLevels } from '../protocol/types.js'
import type { Engine } from './engine.js'
import { sendLog } from './logging.js'
import { askModel } from './model.js'
import { askPerson, sendPersonTo } from './person.js'
import { roots } from './roots.js'

/** Makes the second argument of an author's function for one request. */
export function callFor(engine: Engine, incoming: Incoming, logger: string): Call {
  const { running } = engine
  const { shared, settings } = running
  return {
    get signal() {
      return incoming.signal
    },
    settings,
    get log() {
      return logFor(engine, incoming, logger)
    },
    get session() {
      return { id: engine.sessionId, revision: engine.revision.date, client: engine.client }
    },
    identity: engine.identity,
    get meta() {
      return incoming.meta
    },
    progress(done, total, message) {
      incoming.progress({
        progress: done,
        ...(total === undefined ? {} : { total }),
        ...(message === undefined || !engine.revision.progressMessage ? {} : { message }),
      })
    },
    use: (declared) => shared.use(declared),
    touch: (uri) => running.touch(uri),
    askPerson: ((message: string, schema: Schema) =>
      askPerson(engine, incoming, logger, message, schema)) as Call['askPerson'],
    sendPersonTo: (url, message) => sendPersonTo(engine, incoming, String(url), message),
    askModel: (question) => askModel(engine, incoming, question),
    roots: () => roots(engine, incoming),
  }
}

/** The same for a completion function. */
export function completionCallFor(
  engine: Engine,
  incoming: Incoming,
  logger: string,
  filled: Readonly<Record<string, string>>,
): CompletionCall {
  return Object.defineProperty(callFor(engine, incoming, logger), 'filled', { value: filled }) as CompletionCall
}

function logFor(engine: Engine, incoming: Incoming, logger: string): CallLog {
  const entries = logLevels.map((level: LogLevel) => [
    level,
    (message: string, data?: unknown) => sendLog(engine, incoming, level, logger, message, data),
  ])
  return Object.fromEntries(entries) as CallLog
}
