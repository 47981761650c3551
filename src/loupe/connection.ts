import type { Link } from '../link/link.js'
import { resultOfTask } from '../link/result-of-task.js'
import { protocolErrors } from '../protocol/errors.js'
import { isObject, isRequest, type JsonObject, type RequestId } from '../protocol/messages.js'
import type { ClientCapabilities } from '../protocol/types.js'
import { readAside, upstreamVariable } from '../relay/relay-child.js'
import type { TargetState } from '../tape/entry.js'
import { commandOf } from '../target/command-of.js'
import { labelOf, openTarget, type Target } from '../target/target.js'
import { type ClientSide, needsReopening, usualClientSide } from './client-side.js'
import { fitOf } from './fit.js'
import type { Journal } from './journal.js'
import { OfferedParts } from './offered-parts.js'
import { Questions } from './questions.js'
import { faultOf, reasonOf } from './reasons.js'
import { Recorder } from './recorder.js'
import { pageSignIn } from './sign-in.js'
import { runsAsTask } from './task-calls.js'
import type { Asked, CatalogueView, TargetView } from './view.js'

export interface ConnectionOptions {
  /** Reload a kit when its files change. Default: true. */
  watches?: boolean
  /** Revision to request at first. */
  revision?: string
  /** Time limit of a request. */
  timeoutMs?: number
  /** Called with values that must not be recorded. */
  onSecrets?: (secrets: readonly string[]) => void
}

/** One target of Loupe: opens it, records its messages, sends requests of the page, and reopens it. */
export class Connection {
  readonly id: string
  readonly label: string
  readonly target: Target
  readonly #journal: Journal
  readonly #changed: () => void
  readonly #running = new Map<string, AbortController>()
  readonly #questions: Questions
  readonly #recorder: Recorder
  readonly #timeoutMs: number | undefined
  readonly #watches: boolean
  readonly #onSecrets: (secrets: readonly string[]) => void
  /** Number of the current attempt; results of earlier attempts are ignored. */
  #attempt = 0
  /** Resolves when the current attempt has succeeded or failed. */
  #opening: Promise<void> | undefined
  #link: Link | undefined
  #state: TargetState = 'closed'
  #problem: string | undefined
  #fix: string | undefined
  readonly #offered: OfferedParts
  #client: ClientSide
  #declared: ClientCapabilities | undefined
  #latencyMs: number | undefined

  constructor(
    id: string,
    target: Target,
    journal: Journal,
    changed: () => void,
    { revision, timeoutMs, watches = true, onSecrets = () => {} }: ConnectionOptions = {},
  ) {
    this.id = id
    this.label = labelOf(target)
    this.target = target
    this.#journal = journal
    this.#changed = changed
    this.#client = revision === undefined ? usualClientSide : { ...usualClientSide, revision }
    this.#timeoutMs = timeoutMs
    this.#watches = watches
    this.#onSecrets = onSecrets
    this.#recorder = new Recorder(id, journal)
    this.#questions = new Questions(() => this.#client, changed)
    this.#offered = new OfferedParts(target, {
      changed,
      tell: (text) => journal.add(id, { kind: 'state', state: 'open', text }),
      failed: (problem) => {
        this.#problem = problem
        changed()
      },
    })
  }

  get view(): TargetView {
    const link = this.#state === 'open' ? this.#link : undefined
    return {
      id: this.id,
      label: this.label,
      kind: this.target.kind,
      state: this.#state,
      problem: this.#problem,
      fix: this.#fix,
      name: link?.serverInfo.title ?? link?.serverInfo.name,
      version: link?.serverInfo.version,
      revision: link?.revision,
      instructions: link?.instructions,
      session: this.#recorder.session,
      latencyMs: this.#latencyMs,
      capabilities: link?.capabilities,
      clientCapabilities: this.#declared,
      client: this.#client,
      questions: this.#questions.open,
      catalogueVersion: this.#offered.version,
    }
  }

  get catalogue(): CatalogueView {
    return this.#offered.view
  }

  /** Opens or reopens the target. Does not reject: errors are part of the view. */
  open(): Promise<void> {
    const opening = this.#open()
    this.#opening = opening
    return opening
  }

  async #open(): Promise<void> {
    const before = this.#link
    this.#link = undefined
    await before?.close()
    this.#questions.forget()
    this.#recorder.session = undefined
    this.#latencyMs = undefined
    if (before) this.#offered.keepAsBaseline()
    this.#set('connecting', `connecting to ${this.label}`)
    const { declares, revision } = this.#client
    const attempt = ++this.#attempt
    try {
      const { link } = await openTarget(asChild(this.target, this.#watches), {
        ...(revision === undefined ? {} : { revision }),
        ...(this.target.kind === 'url' ? { signIn: pageSignIn(this.id, this.#journal, this.#questions) } : {}),
        ...(this.#timeoutMs === undefined ? {} : { timeoutMs: this.#timeoutMs }),
        onMessage: (message, from) => {
          if (isRequest(message) && message.method === 'initialize')
            this.#declared = message.params?.capabilities as ClientCapabilities | undefined
          this.#recorder.message(message, from, this.target.kind === 'url')
        },
        onExchange: (exchange) => this.#recorder.exchange(exchange),
        // Subscribes for the page; the notifications appear as messages.
        views: declares.views,
        ...(declares.upstream ? { onUpstream: () => {} } : {}),
        ...(declares.elicitation ? { onQuestion: this.#questions.ask } : {}),
        ...(declares.sampling ? { onModelRequest: this.#questions.askModel } : {}),
        ...(declares.roots ? { roots: this.#client.roots } : {}),
        onStderr: (text) => this.#journal.add(this.id, { kind: 'stderr', text }),
        ...(this.target.kind === 'kit' ? { aside: { variable: upstreamVariable, hear: this.#heardAside } } : {}),
        onStray: (text) =>
          this.#journal.add(this.id, { kind: 'stray', from: 'server', text: text.slice(0, 10_000) }),
      })
      if (attempt !== this.#attempt) return await link.close()
      this.#link = link
      link.on('closed', ({ why }) => {
        if (this.#link !== link) return
        this.#questions.forget()
        this.#set('closed', why, 'see its last output in the score, fix it, and press Connect')
      })
      for (const event of ['toolsChanged', 'resourcesChanged', 'promptsChanged'] as const) {
        link.on(event, () => this.#offered.announced(link))
      }
      this.#set('open', `${link.serverInfo.name} ${link.serverInfo.version}, revision ${link.revision}`)
      await this.#offered.read(link)
      await this.ping()
    } catch (error) {
      if (attempt !== this.#attempt) return
      const { problem, fix } = reasonOf(error)
      this.#set('closed', problem, fix)
    }
  }

  /** Sends a request of the page; `key` identifies it for cancellation. */
  async ask(key: string, method: string, params: JsonObject): Promise<Asked> {
    if (method === 'ping') return this.#pinged()
    const controller = new AbortController()
    this.#running.set(key, controller)
    const answeredBefore = this.#questions.answered.length
    const withAnswers = (asked: Asked): Asked => {
      const answers = this.#questions.answered.slice(answeredBefore)
      return answers.length > 0 ? { ...asked, answers } : asked
    }
    try {
      // A request that arrives while it connects waits for the new connection.
      if (this.#state === 'connecting') await this.#opening
      const link = this.#opened()
      const onProgress = method === 'tools/call' ? { onProgress: () => {} } : {}
      const options = { signal: controller.signal, timeoutMs: this.#timeoutMs ?? 600_000, ...onProgress }
      const result = runsAsTask(this.#offered.catalogue, method, params)
        ? {
            ...(await resultOfTask(
              link,
              String(params.name),
              isObject(params.arguments) ? params.arguments : {},
              controller.signal,
            )),
          }
        : await link.ask(method, params, options)
      return withAnswers({ result, ...(await fitOf(this.#offered.catalogue, method, params, result)) })
    } catch (error) {
      if (controller.signal.aborted) return { error: { code: 'cancelled', message: 'You cancelled it.' } }
      return withAnswers(faultOf(error))
    } finally {
      this.#running.delete(key)
    }
  }

  /** Records the messages between a view and its host in Loupe. */
  hearPage(view: string, from: 'host' | 'page', message: JsonObject): void {
    this.#journal.add(this.id, { kind: 'page', from, view, message })
  }

  cancel(key: string): void {
    this.#running.get(key)?.abort(new DOMException('cancelled in Loupe', 'AbortError'))
  }

  answer(requestId: RequestId, given: unknown): string | undefined {
    return this.#questions.answer(requestId, given)
  }

  /** Changes the settings of the client; reconnects if the server can only learn of them at the start. */
  async setClient(client: ClientSide): Promise<void> {
    const before = this.#client
    this.#client = client
    if (this.#state === 'open' && needsReopening(before, client)) return this.open()
    if (client.declares.roots && JSON.stringify(before.roots) !== JSON.stringify(client.roots))
      this.#link?.setRoots(client.roots)
    this.#changed()
  }

  async close(): Promise<void> {
    this.#offered.close()
    this.#attempt++
    const link = this.#link
    this.#link = undefined
    this.#questions.forget()
    await link?.close()
  }

  /** Measures the time of a ping. Gives up on a server that does not respond. */
  async ping(): Promise<void> {
    const link = this.#opened()
    const startedAt = performance.now()
    await link.ask('ping', undefined, { timeoutMs: 5000 })
    this.#latencyMs = performance.now() - startedAt
    this.#changed()
  }

  async #pinged(): Promise<Asked> {
    try {
      await this.ping()
      return { result: {} }
    } catch (error) {
      return faultOf(error)
    }
  }

  #opened(): Link {
    const link = this.#state === 'open' ? this.#link : undefined
    if (!link) throw protocolErrors.closed(this.#problem ?? 'it is not open')
    return link
  }

  /** A kit in a child process reports its secrets, which must not be recorded. */
  #heardAside = (line: string): void => {
    const { secrets } = readAside(line)
    if (secrets) this.#onSecrets(secrets)
  }

  #set(state: TargetState, text: string, fix?: string): void {
    this.#state = state
    this.#problem = state === 'closed' ? text : undefined
    this.#fix = fix
    this.#journal.add(this.id, { kind: 'state', state, text, label: this.label })
    this.#changed()
  }
}

/**
 * A kit runs in a child process, as a host would start it: its output is recorded, and a crash does not affect Loupe.
 */
function asChild(target: Target, watches: boolean): Target {
  if (target.kind !== 'kit') return target
  return { kind: 'child', command: commandOf(target, ['--show-upstream', ...(watches ? ['--watch'] : [])]) }
}
