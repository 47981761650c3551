import { engineErrors } from '../engine/errors.js'
import { isJexoError, messageOf } from '../errors.js'
import type { Root } from '../kit/call.js'
import type { AnyTools, ToolTypes } from '../kit/typing.js'
import { Dialogue } from '../protocol/dialogue.js'
import { protocolErrors } from '../protocol/errors.js'
import type { AskOptions, Incoming } from '../protocol/incoming.js'
import { isResponse, type JsonObject, type Message } from '../protocol/messages.js'
import { newestRevision, type Revision } from '../protocol/revisions.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import type {
  CompletionResult,
  Implementation,
  InitializeResult,
  LogLevel,
  PromptDefinition,
  PromptResult,
  ReadResult,
  ResourceDefinition,
  ServerCapabilities,
  TemplateDefinition,
  ToolDefinition,
  ToolResult,
} from '../protocol/types.js'
import { type UpstreamRecord, upstreamMethod } from '../protocol/upstream.js'
import { TaskBoard } from '../tasks/board.js'
import type { Task } from '../tasks/task.js'
import { foundTelemetry } from '../telemetry/found.js'
import type { SessionWatch, Telemetry } from '../telemetry/telemetry.js'
import { Delivery } from './delivery.js'
import { linkErrors } from './errors.js'
import { eventFor, Listeners, listsChangedIn } from './events.js'
import { initialize } from './initialize.js'
import { KeptLists } from './lists.js'
import type { CallOptions, CallWords, LinkEvents, LinkOptions } from './options.js'
import { plainCall } from './plain-call.js'
import { type CompletedPart, completionIn, completionParams, withArray } from './results.js'
import { respondToServer } from './server-requests.js'
import { LinkTasks, type StartOptions, type TaskHandle } from './tasks.js'
import { watchedSession } from './watched.js'
import type { Wire } from './wire.js'

/**
 * The client side of one session: what a program uses to call a server. Created by `connect`. Methods reject with `RpcError` (the server refused), or with a `JexoError` (timeout, closed).
 */
export class Link<Tools extends { [Name in keyof Tools]: ToolTypes } = AnyTools> {
  readonly #wire: Wire
  readonly #dialogue: Dialogue
  #options: LinkOptions
  readonly #listeners = new Listeners()
  #opened: InitializeResult | undefined
  #revision: Revision = newestRevision
  #isClosed = false
  readonly #watch: SessionWatch | undefined
  readonly #lists = new KeptLists()
  /** Questions of the server that run as tasks of this side. */
  readonly #asked = new TaskBoard(() => {})
  readonly #tasks = new LinkTasks((method, params, options) => this.#dialogue.ask(method, params, options))
  readonly #subscribed = new Set<string>()
  readonly #delivery: Delivery

  private constructor(wire: Wire, options: LinkOptions, telemetry: Telemetry | undefined) {
    this.#wire = wire
    this.#options = options
    this.#watch = telemetry?.client(watchedSession(wire, () => this.revision))
    this.#dialogue = new Dialogue(
      {
        send: (message) => this.#send(message),
        respond: (incoming) => this.#respond(incoming),
        hear: (method, params) => this.#hear(method, params),
      },
      {
        watch: this.#watch,
        limits: options.timeoutMs === undefined ? {} : { timeoutMs: options.timeoutMs },
      },
    )
    this.#delivery = new Delivery(wire, {
      isInitialized: () => this.#opened !== undefined,
      isClosed: () => this.#isClosed,
      reopen: () => this.#reopen(),
      isAsked: (id) => this.#dialogue.isAsked(id),
      giveUp: (id, error) => this.#dialogue.giveUp(id, error),
      isReadTool: async (tool) =>
        (await this.tools()).some(({ name, annotations }) => name === tool && annotations?.readOnlyHint),
    })
  }

  /** Opens a link over a wire and initializes it. If that fails, the wire is closed. */
  static async open<Tools extends { [Name in keyof Tools]: ToolTypes } = AnyTools>(
    wire: Wire,
    options: LinkOptions = {},
  ): Promise<Link<Tools>> {
    const { telemetry = await foundTelemetry() } = options
    const link = new Link<Tools>(wire, options, telemetry || undefined)
    try {
      await wire.start({
        receive: (message) => link.#receive(message),
        unusable: (id, reason) => link.#dialogue.unusable(id, reason),
        delayed: (id, isDelayed) => link.#dialogue.delay(id, isDelayed),
        closed: (why) => link.#closed(why),
      })
      await link.#initialize()
      return link
    } catch (error) {
      link.#closed('it did not open')
      await wire.close()
      throw isJexoError(error) ? error : linkErrors.connectFailed(wire.label, messageOf(error), error)
    }
  }

  get label(): string {
    return this.#wire.label
  }
  /** Revision in force, such as `2025-11-25`. */
  get revision(): string {
    return this.#revision.date
  }
  get serverInfo(): Implementation {
    return this.#whole.serverInfo
  }
  get capabilities(): ServerCapabilities {
    return this.#whole.capabilities
  }
  get instructions(): string | undefined {
    return this.#whole.instructions
  }

  /** Lists all tools, from all pages. Empty if the server declares none. */
  tools(): Promise<ToolDefinition[]> {
    return this.#list('tools', 'tools/list', 'tools')
  }
  resources(): Promise<ResourceDefinition[]> {
    return this.#list('resources', 'resources/list', 'resources')
  }
  templates(): Promise<TemplateDefinition[]> {
    return this.#list('resources', 'resources/templates/list', 'resourceTemplates')
  }
  prompts(): Promise<PromptDefinition[]> {
    return this.#list('prompts', 'prompts/list', 'prompts')
  }

  /**
   * Calls a tool. An error of the tool is a result with `isError`, not a rejection. On a link to one's own kit, the compiler knows the names of
   * tools, their arguments and their structured results.
   */
  async call<Name extends keyof Tools & string>(
    tool: Name,
    ...[args = {} as Tools[Name]['arguments'], options = {}]: CallWords<Tools[Name]['arguments']>
  ): Promise<ToolResult<Tools[Name]['result']>> {
    const result = await this.ask('tools/call', { name: tool, arguments: args }, options).catch((error) => {
      // The tool runs only as a task, and nothing was executed yet; the caller waits for the result as usual.
      if (!(error instanceof RpcError && error.code === codes.methodNotFound && this.#hasTasks)) throw error
      return this.#tasks.call(tool, args as JsonObject, options)
    })
    return withArray('tools/call', result, 'content')
  }

  /**
   * Starts a call as a task: the server responds immediately, and the result can be fetched later. If the server or its revision does not support tasks, the handle represents an ordinary call.
   *
   * @example
   * const task = await link.start('survey_site', { site: 'Quarry Field' }, { ttlMs: 3_600_000 })
   * task.onStatus(({ status, statusMessage }) => console.log(status, statusMessage))
   * const { structuredContent } = await task.result()
   */
  async start<Name extends keyof Tools & string>(
    tool: Name,
    args: Tools[Name]['arguments'] = {} as Tools[Name]['arguments'],
    options: StartOptions = {},
  ): Promise<TaskHandle<Tools[Name]['result'] & JsonObject>> {
    if (this.#hasTasks) return this.#tasks.start(tool, args as JsonObject, options)
    return plainCall((params, more) => this.ask('tools/call', params, more), tool, args as JsonObject, options)
  }

  /** Finds a task again by its id. */
  task(id: string): TaskHandle {
    return this.#tasks.handle(id)
  }

  /** Lists the tasks of this caller. Empty if the server does not list them. */
  async tasks(): Promise<Task[]> {
    return this.#opened?.capabilities.tasks?.list ? this.#tasks.list() : []
  }

  /** Reads a resource. */
  async read(uri: string, options: CallOptions = {}): Promise<ReadResult> {
    return withArray('resources/read', await this.ask('resources/read', { uri }, options), 'contents')
  }

  /** Fills a prompt with arguments. */
  async fill(prompt: string, args: Record<string, string> = {}, options: CallOptions = {}): Promise<PromptResult> {
    const result = await this.ask('prompts/get', { name: prompt, arguments: args }, options)
    return withArray('prompts/get', result, 'messages')
  }

  /** Returns completions of an argument; `of` is a prompt's name or a template's URI. */
  async complete(
    of: CompletedPart,
    argument: { name: string; value: string },
    filled: Record<string, string> = {},
  ): Promise<CompletionResult['completion']> {
    const params = completionParams(of, argument, filled, this.#revision)
    return completionIn(await this.ask('completion/complete', params))
  }

  /** Subscribes to a resource; the event `resourceUpdated` reports its changes. */
  async subscribe(uri: string): Promise<void> {
    await this.ask('resources/subscribe', { uri })
    this.#subscribed.add(uri)
  }
  async unsubscribe(uri: string): Promise<void> {
    this.#subscribed.delete(uri)
    await this.ask('resources/unsubscribe', { uri })
  }
  /** Notifies the server that the roots changed. Requires `roots` in the options of the link. */
  setRoots(roots: readonly Root[]): void {
    if (!this.#options.roots) throw engineErrors.peerCannot('receive a list of roots', 'roots')
    this.#options = { ...this.#options, roots }
    this.#dialogue.notify('notifications/roots/list_changed', undefined)
  }
  /** Notifies the server that the roots of the client behind this link changed. */
  passRootsChanged(): void {
    this.#dialogue.notify('notifications/roots/list_changed', undefined)
  }
  /** Sets the minimum level of log messages that the server sends. */
  async setLogLevel(level: LogLevel): Promise<void> {
    await this.ask('logging/setLevel', { level })
  }
  async ping(): Promise<void> {
    await this.ask('ping', undefined)
  }

  /** Sends any request and returns its result. */
  ask(method: string, params: JsonObject | undefined, options: CallOptions & AskOptions = {}): Promise<JsonObject> {
    const { meta, ...rest } = options
    return this.#dialogue.ask(method, meta ? { ...params, _meta: meta } : params, rest)
  }

  /** Calls the listener for each event; returns a function that removes it. */
  on<Name extends keyof LinkEvents>(name: Name, listener: (detail: LinkEvents[Name]) => void): () => void {
    return this.#listeners.on(name, listener)
  }

  /** Ends the session. Pending requests are rejected. */
  async close(): Promise<void> {
    this.#closed('closed by this side')
    await this.#wire.close()
  }

  get #hasTasks(): boolean {
    return this.#opened?.capabilities.tasks?.requests?.tools?.call !== undefined && this.#revision.tasks
  }

  get #whole(): InitializeResult {
    if (!this.#opened) throw protocolErrors.closed('it is not open yet')
    return this.#opened
  }

  async #initialize(): Promise<void> {
    const { revision, opened } = await initialize((params) => this.ask('initialize', params), this.#options)
    this.#revision = revision
    this.#opened = opened
    this.#wire.opened?.(revision)
    this.#dialogue.notify('notifications/initialized', undefined)
  }

  #list<T>(capability: 'tools' | 'resources' | 'prompts', method: string, field: string): Promise<T[]> {
    const declared = this.capabilities[capability]
    if (!declared) return Promise.resolve([])
    return this.#lists.read<T>((params) => this.ask(method, params), method, field, declared.listChanged === true)
  }

  #send(message: Message): void {
    this.#options.onMessage?.(message, 'client')
    this.#delivery.send(message)
  }

  /** Opens a new session on the same wire and repeats the subscriptions. */
  async #reopen(): Promise<void> {
    this.#wire.forget?.()
    this.#lists.forget()
    await this.#initialize()
    await Promise.all([...this.#subscribed].map((uri) => this.ask('resources/subscribe', { uri })))
  }

  #receive(message: Message): void {
    this.#options.onMessage?.(message, 'server')
    if (isResponse(message) && message.id === undefined && 'error' in message) {
      this.#listeners.emit('log', { level: 'error', logger: 'protocol', data: message.error.message })
    }
    this.#dialogue.receive(message)
  }

  #respond(incoming: Incoming): unknown {
    const notify = (method: string, params: JsonObject) => this.#dialogue.notify(method, params)
    return respondToServer(incoming, {
      revision: this.#revision,
      options: this.#options,
      tasks: this.#asked,
      notify,
    })
  }

  #hear(method: string, params: JsonObject): void {
    if (method === 'notifications/tasks/status') return this.#tasks.heard(params)
    if (method === 'notifications/progress') return this.#tasks.progressed(params)
    if (method === upstreamMethod) return this.#options.onUpstream?.(params as unknown as UpstreamRecord)
    const event = eventFor(method, params)
    if (!event) return
    const changed = listsChangedIn(event)
    if (changed) this.#lists.forget(changed)
    if (event.name === 'log') this.#options.onLog?.(event.detail)
    this.#listeners.emit(event.name, event.detail as LinkEvents[typeof event.name])
  }

  #closed(why: string): void {
    if (this.#isClosed) return
    this.#isClosed = true
    this.#dialogue.close(why)
    this.#asked.close()
    if (this.#opened) this.#watch?.closed()
    this.#listeners.emit('closed', { why })
  }
}
