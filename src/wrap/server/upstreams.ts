import { isJexoError, messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import { type Passage, type PassageSession, passageOf } from '../../kit/passage.js'
import type { Opening } from '../../kit/shared.js'
import { PassedError } from '../../kit/verbatim.js'
import type { Link } from '../../link/link.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Revision } from '../../protocol/revisions.js'
import { RpcError, rpcErrors } from '../../protocol/rpc-error.js'
import { type LogLevel, logLevels } from '../../protocol/types.js'
import { declaresViews, viewsCapability } from '../../protocol/ui.js'
import { relatedTask } from '../../tasks/task.js'
import { Restarts } from '../source/restarts.js'
import { serverErrors } from './errors.js'
import type { Opener, OpenerOptions } from './opener.js'
import type { Upstream } from './parts.js'
import type { UriMap } from './uris.js'

export interface UpstreamsOptions {
  readonly label: string
  readonly open: Opener
  readonly sessions: 'per-caller' | 'shared'
  readonly maxSessions: number
  readonly timeoutMs: number
  readonly uris: UriMap
  /** The server's lists have changed. */
  readonly changed: (lists: ChangedLists) => void
}

/** The lists of the server that changed, and the link to read them. */
export interface ChangedLists {
  readonly link: Link
  /** True if the server treats the session as one with views, and lists them. */
  readonly showsViews: boolean
}

/** A session of the wrapped server. */
interface Session {
  readonly link: Promise<Link>
  /** Requests in progress, the latest last, since the server's own requests belong to one of them. */
  readonly active: Set<Passage>
  logLevel: LogLevel | undefined
}

/** A server of a newer revision may send requests that the caller's revision does not have. */
function questionFor(revision: Revision, { mode, ...rest }: JsonObject): JsonObject {
  if (revision.elicitation === 'form and url' && mode !== undefined) return { mode, ...rest }
  if (mode !== undefined && mode !== 'form') throw rpcErrors.invalidParams('the host cannot show pages')
  return rest
}

const questionMs = 600_000

/**
 * The sessions with a wrapped server: one for each caller, or one for all. Started at first use, and after a failure
 * again with a growing delay.
 */
export class Upstreams implements Upstream {
  readonly #options: UpstreamsOptions
  readonly #opening: Opening
  readonly #sessions = new Map<object, Session>()
  readonly #restarts = new Restarts()
  #isClosed = false

  constructor(options: UpstreamsOptions, opening: Opening) {
    this.#options = options
    this.#opening = opening
  }

  /** Calls a tool. Rejects with the server's own refusal, or with a `JexoError` if it does not respond. */
  callTool(call: Call, name: string, input: JsonObject): Promise<JsonObject> {
    return this.#within(call, async (link, options) => {
      const result = await link.call(name, input, options)
      return result as unknown as JsonObject
    })
  }

  /** Sends any request. */
  ask(call: Call, method: string, params: JsonObject): Promise<JsonObject> {
    return this.#within(call, (link, options) => link.ask(method, params, options))
  }

  /** Reads a resource: this one, or the one of the request. */
  read(call: Call, uri: string | undefined, uris: UriMap): Promise<JsonObject> {
    return this.ask(call, 'resources/read', { uri: uri ?? uris.inner(String(passageOf(call)?.params.uri)) })
  }

  /** Subscribes or unsubscribes, if the server supports that. */
  async subscribe(call: Call, method: string, uri: string): Promise<void> {
    await this.#within(call, async (link) => {
      if (!link.capabilities.resources?.subscribe) return {}
      await (method === 'resources/subscribe' ? link.subscribe(uri) : link.unsubscribe(uri))
      return {}
    })
  }

  async close(): Promise<void> {
    this.#isClosed = true
    const open = [...this.#sessions.values()]
    this.#sessions.clear()
    await Promise.all(open.map(({ link }) => link.then((opened) => opened.close()).catch(() => {})))
  }

  async #within(
    call: Call,
    work: (
      link: Link,
      options: { signal: AbortSignal; timeoutMs: number; meta: JsonObject },
    ) => Promise<JsonObject>,
  ): Promise<JsonObject> {
    const passage = passageOf(call)
    const session = this.#sessionFor(passage)
    if (passage) session.active.add(passage)
    try {
      const link = await session.link
      await this.#followLevel(session, link, passage)
      const { progressToken, [relatedTask]: _task, ...meta } = call.meta
      const onProgress =
        progressToken === undefined
          ? {}
          : {
              onProgress: ({ progress, total, message }: { progress: number; total?: number; message?: string }) =>
                call.progress(progress, total, message),
            }
      return await work(link, { signal: call.signal, timeoutMs: this.#options.timeoutMs, meta, ...onProgress })
    } catch (error) {
      throw this.#failureOf(error, call)
    } finally {
      if (passage) session.active.delete(passage)
    }
  }

  #failureOf(error: unknown, call: Call): unknown {
    if (error instanceof RpcError) return new PassedError(error.code, error.message, error.data)
    const isReady = !isJexoError(error) || error.code.startsWith('server-') || call.signal.aborted
    return isReady ? error : serverErrors.failed(this.#options.label, error)
  }

  /**
   * The session of a caller; opened if there is none. Throws a `JexoError` during a delay, or if there are too many.
   */
  #sessionFor(passage: Passage | undefined): Session {
    const { label, sessions, maxSessions } = this.#options
    const isShared = sessions === 'shared' || passage === undefined || passage.session.isStateless
    const key = isShared ? this : passage.session
    const known = this.#sessions.get(key)
    if (known) return known
    if (this.#isClosed) throw serverErrors.unreachable(label, 'it was closed', 0)
    const { waitMs } = this.#restarts
    if (waitMs > 0) throw serverErrors.unreachable(label, 'it has just ended', waitMs)
    if (this.#sessions.size >= maxSessions) throw serverErrors.tooManySessions(label, maxSessions)
    return this.#open(key, isShared ? undefined : passage.session)
  }

  #open(key: object, of: PassageSession | undefined): Session {
    const { label, open } = this.#options
    const startedAt = Date.now()
    const active = new Set<Passage>()
    const forget = () => {
      if (this.#sessions.get(key) === session) this.#sessions.delete(key)
    }
    const isUnwanted = () => this.#isClosed || of?.ended.aborted === true
    const start = async () => {
      const onStderr = (line: string) => this.#opening.report('info', `${label}: ${line}`)
      const link = await open({ ...(of ? this.#passing(of, active) : { views: true }), onStderr }).catch(
        (error) => {
          forget()
          this.#restarts.failed()
          throw serverErrors.unreachable(label, messageOf(error), 0)
        },
      )
      this.#listen(link, of, active)
      link.on('closed', ({ why }) => {
        forget()
        if (isUnwanted()) return
        this.#opening.report('warning', `${label}: ${why}`)
        this.#restarts.ended(startedAt)
      })
      if (isUnwanted()) await link.close()
      return link
    }
    const session: Session = { link: start(), active, logLevel: undefined }
    // Callers that wait receive the failure; there may be none.
    session.link.catch(() => {})
    this.#sessions.set(key, session)
    of?.ended.addEventListener('abort', () => {
      forget()
      session.link.then((link) => link.close()).catch(() => {})
    })
    return session
  }

  /** Requests of the server are passed to the caller's client, according to its capabilities. */
  #passing(of: PassageSession, active: ReadonlySet<Passage>): OpenerOptions {
    const { roots, sampling, elicitation } = of.clientCapabilities
    const views = declaresViews(of.clientCapabilities) ? { extensions: viewsCapability } : {}
    return {
      revision: of.revision.date,
      passTo: {
        capabilities: {
          ...(isObject(roots) ? { roots: roots.listChanged === true ? { listChanged: true } : {} } : {}),
          ...(sampling ? { sampling } : {}),
          ...(elicitation ? { elicitation } : {}),
          ...views,
        },
        ask: async (method, params, signal) => {
          const fitting = method === 'elicitation/create' ? questionFor(of.revision, params) : params
          const options = { signal, timeoutMs: questionMs }
          return ([...active].at(-1) ?? of).ask(method, fitting, options)
        },
      },
    }
  }

  #listen(link: Link, of: PassageSession | undefined, active: ReadonlySet<Passage>): void {
    const { uris, changed } = this.#options
    for (const event of ['toolsChanged', 'resourcesChanged', 'promptsChanged'] as const)
      link.on(event, () => changed({ link, showsViews: !of || declaresViews(of.clientCapabilities) }))
    link.on('resourceUpdated', ({ uri }) => {
      if (of) of.resourceChanged(uris.outer(uri))
      else this.#opening.resourceUpdated(uris.outer(uri))
    })
    if (!of) return
    const tellsRoots = of.clientCapabilities.roots?.listChanged === true
    if (tellsRoots)
      link.on(
        'closed',
        of.onRootsChanged(() => link.passRootsChanged()),
      )
    link.on('questionFinished', ({ elicitationId }) =>
      of.notify('notifications/elicitation/complete', { elicitationId }),
    )
    link.on('log', (message) => {
      if (logLevels.indexOf(message.level) < logLevels.indexOf(of.logLevel)) return
      const notifier = [...active].at(-1) ?? of
      if (isObject(message)) notifier.notify('notifications/message', { ...message })
    })
  }

  /** The caller's log level is set at the server before the next request. */
  async #followLevel(session: Session, link: Link, passage: Passage | undefined): Promise<void> {
    const wanted = passage?.session.logLevel
    if (wanted === undefined || wanted === session.logLevel || link.capabilities.logging === undefined) return
    session.logLevel = wanted
    await link.setLogLevel(wanted).catch(() => {})
  }
}
