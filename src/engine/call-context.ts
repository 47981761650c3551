import type { Call, CallLog, CallSession, CompletionCall, Identity } from '../kit/call.js'
import { type CallState, StateMap } from '../kit/call-state.js'
import type { Counters, LayerCall, LayeredMethod } from '../kit/layer.js'
import type { Part } from '../kit/part.js'
import { type Passage, passageSlot } from '../kit/passage.js'
import type { Schema } from '../kit/schema.js'
import type { SharedThings } from '../kit/shared.js'
import type { Incoming } from '../protocol/incoming.js'
import { type LogLevel, logLevels } from '../protocol/types.js'
import { TaskRequest } from '../tasks/task-request.js'
import { sendLog } from './logging.js'
import { askModel } from './model.js'
import { askPerson, sendPersonTo } from './person.js'
import { roots } from './roots.js'
import type { Session } from './session.js'
import { upstream } from './upstream.js'

/** Creates the second argument of an author's function for one request. */
export const callFor = (session: Session, incoming: Incoming, logger: string): Call =>
  new ActiveCall(session, incoming, logger)

/** The same for a completion function. */
export function completionCallFor(
  session: Session,
  incoming: Incoming,
  logger: string,
  filled: Readonly<Record<string, string>>,
): CompletionCall {
  return Object.defineProperty(new ActiveCall(session, incoming, logger), 'filled', {
    value: filled,
  }) as Call as CompletionCall
}

/**
 * A call in progress. Its functions are getters, which cost nothing until they are used and can be destructured, as in
 * `({ hive }, { progress, signal })`.
 */
class ActiveCall implements Call {
  #state: StateMap | undefined
  readonly #session: Session
  readonly #incoming: Incoming
  readonly #logger: string
  // Belongs to the kit that the call began with, even if another one is served later.
  readonly #shared: SharedThings
  readonly settings: Readonly<Record<string, string>>
  readonly identity: Identity | undefined

  constructor(session: Session, incoming: Incoming, logger: string) {
    this.#session = session
    this.#incoming = incoming
    this.#logger = logger
    this.#shared = session.running.shared
    this.settings = session.running.settings
    this.identity = incoming instanceof TaskRequest ? incoming.identity : session.identity
  }

  get signal(): AbortSignal {
    return this.#incoming.signal
  }
  get state(): CallState {
    this.#state ??= new StateMap()
    return this.#state
  }
  get meta() {
    return this.#incoming.meta
  }
  get session(): CallSession {
    const { sessionId, revision, client } = this.#session
    return { id: sessionId, revision: revision.date, client }
  }
  get log(): CallLog {
    const entries = logLevels.map((level: LogLevel) => [
      level,
      (message: string, data?: unknown) =>
        sendLog(this.#session, this.#incoming, level, this.#logger, message, data),
    ])
    return Object.fromEntries(entries) as CallLog
  }
  get progress(): Call['progress'] {
    return (done, total, message) =>
      this.#incoming.progress({
        progress: done,
        ...(total === undefined ? {} : { total }),
        ...(message === undefined || !this.#session.revision.progressMessage ? {} : { message }),
      })
  }
  get use(): Call['use'] {
    return (declared) => this.#shared.use(declared)
  }
  get upstream(): Call['upstream'] {
    return (kind, label, run) => upstream(this.#session, this.#incoming, kind, label, run)
  }
  get task(): Call['task'] {
    return this.#incoming instanceof TaskRequest ? this.#incoming.task : undefined
  }
  get checkpoint(): Call['checkpoint'] {
    return async (value) => {
      if (this.#incoming instanceof TaskRequest) await this.#incoming.save?.(value)
    }
  }
  get resourceUpdated(): Call['resourceUpdated'] {
    return (uri) => this.#session.running.resourceUpdated(uri)
  }
  get [passageSlot](): Passage {
    const session = this.#session
    const incoming = this.#incoming
    return {
      session,
      params: incoming.params,
      ask: (method, params, options) => incoming.ask(method, params, options),
      notify: (method, params) => incoming.notify(method, params),
    }
  }
  get askPerson(): Call['askPerson'] {
    const ask = (message: string, schema: Schema) =>
      askPerson(this.#session, this.#incoming, this.#logger, message, schema)
    return ask as Call['askPerson']
  }
  get sendPersonTo(): Call['sendPersonTo'] {
    return (url, message) => sendPersonTo(this.#session, this.#incoming, String(url), message)
  }
  get askModel(): Call['askModel'] {
    return (question) => askModel(this.#session, this.#incoming, question)
  }
  get roots(): Call['roots'] {
    return () => roots(this.#session, this.#incoming)
  }
}

export interface LayeredRequest {
  part: Part
  method: LayeredMethod
  input: unknown
  uri: string | undefined
  filled: Readonly<Record<string, string>> | undefined
}

/** A call that goes through layers: they see the part and the method, and may change the input and the signal. */
export class LayeredCall extends ActiveCall implements LayerCall, CompletionCall {
  readonly method: LayeredMethod
  readonly part: Part
  readonly uri: string | undefined
  readonly filled: Readonly<Record<string, string>>
  readonly counters: Counters | undefined
  input: unknown
  #signal: AbortSignal | undefined

  constructor(session: Session, incoming: Incoming, { part, method, input, uri, filled = {} }: LayeredRequest) {
    super(session, incoming, part.name)
    this.part = part
    this.counters = session.running.counters
    this.method = method
    this.uri = uri
    this.filled = filled
    this.input = input
  }

  override get signal(): AbortSignal {
    return this.#signal ?? super.signal
  }

  abortWith(signal: AbortSignal): void {
    this.#signal = AbortSignal.any([this.signal, signal])
  }
}
