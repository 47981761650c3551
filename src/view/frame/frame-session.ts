import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { ContentBlock, Implementation, ToolDefinition, ToolResult } from '../../protocol/types.js'
import { type DisplayMode, displayModes, uiOf, uiProtocolVersion } from '../../protocol/ui.js'
import type { HostCapabilities, ModelContext, ViewContext, ViewLog } from '../wire/messages.js'
import { type Params, Peer, refusals, ViewError, type Wire } from '../wire/peer.js'
import { jsonSize } from './json-size.js'
import { type FrameLimits, frameLimits, Rate } from './limits.js'

/**
 * The functions that a host provides to a view. Omitted functions are not declared, and requests for them are refused.
 */
export interface FrameHandlers {
  /** Current tools of the view's server; only those for views are called. */
  tools(): readonly ToolDefinition[]
  callTool?(name: string, args: JsonObject, signal: AbortSignal): Promise<ToolResult>
  read?(uri: string, signal: AbortSignal): Promise<object>
  /** A message for the conversation, from the view. Throw a `ViewError` if the user refuses. */
  say?(content: readonly ContentBlock[]): Promise<void>
  /** Context for the model's next turn; replaces the previous context. */
  tellModel?(context: ModelContext): Promise<void>
  /** The view asks to open an http or https URL. Resolves to false if the user refuses. */
  openLink?(url: string): Promise<boolean>
  /** Resolves to the mode that was set. */
  display?(mode: DisplayMode): Promise<DisplayMode>
  log?(entry: ViewLog): void
  onSize?(size: { width: number; height: number }): void
  /** Called for every message in both directions. */
  onMessage?(message: Wire, from: 'host' | 'page'): void
  onState?(state: FrameState, reason?: string): void
}

/** `silent`: the view did not initialize in time. `stopped`: it exceeded a limit. */
export type FrameState = 'loading' | 'ready' | 'silent' | 'stopped' | 'closed'

export interface FrameSessionOptions {
  handlers: FrameHandlers
  post(message: Wire): void
  hostInfo?: Implementation
  context?: ViewContext
  limits?: Partial<FrameLimits>
}

/** The host's side of a conversation with a view. Does no I/O; its owner posts and receives messages. */
export class FrameSession {
  readonly #handlers: FrameHandlers
  readonly #options: FrameSessionOptions
  readonly #limits: FrameLimits
  readonly #rate: Rate
  readonly #peer: Peer
  readonly #waiting: (() => void)[] = []
  #timer: ReturnType<typeof setTimeout> | undefined
  #context: ViewContext
  #state: FrameState = 'loading'
  #isInitialized = false

  constructor(options: FrameSessionOptions) {
    this.#options = options
    this.#handlers = options.handlers
    this.#limits = { ...frameLimits, ...options.limits }
    this.#rate = new Rate(this.#limits.messagesPerSecond)
    this.#context = options.context ?? {}
    this.#peer = new Peer({
      post: (message) => this.#post(message),
      respond: (method, params, signal) => this.#respond(method, params, signal),
      hear: (method, params) => this.#hear(method, params),
    })
    const { initializeMs } = this.#limits
    this.#timer = setTimeout(
      () => this.#set('silent', `the page did not send ui/initialize within ${initializeMs / 1000} s`),
      initializeMs,
    )
  }

  get state(): FrameState {
    return this.#state
  }

  get capabilities(): HostCapabilities {
    const { callTool, read, say, tellModel, openLink, log } = this.#handlers
    return {
      ...(callTool ? { serverTools: {} } : {}),
      ...(read ? { serverResources: {} } : {}),
      ...(say ? { message: {} } : {}),
      ...(tellModel ? { updateModelContext: {} } : {}),
      ...(openLink ? { openLinks: {} } : {}),
      ...(log ? { logging: {} } : {}),
    }
  }

  /** Accepts a message of the view. */
  receive(data: unknown): void {
    if (this.#state === 'stopped' || this.#state === 'closed') return
    if (!this.#rate.take())
      return this.stop(`the page sent more than ${this.#limits.messagesPerSecond} messages a second`)
    if (!isObject(data) || data.jsonrpc !== '2.0') return
    if (jsonSize(data, this.#limits.messageCharacters) === undefined)
      return this.stop('the page sent a message that is too large, or that is not JSON')
    this.#handlers.onMessage?.(data as unknown as Wire, 'page')
    this.#peer.receive(data)
  }

  /** The complete arguments of the call. */
  giveInput(args: JsonObject): void {
    this.#whenReady(() => this.#peer.notify('ui/notifications/tool-input', { arguments: args }))
  }

  /** The arguments that have been generated so far. */
  givePartialInput(args: JsonObject): void {
    this.#whenReady(() => this.#peer.notify('ui/notifications/tool-input-partial', { arguments: args }))
  }

  giveResult(result: ToolResult): void {
    this.#whenReady(() => this.#peer.notify('ui/notifications/tool-result', this.#bounded(result)))
  }

  cancel(reason: string): void {
    this.#whenReady(() => this.#peer.notify('ui/notifications/tool-cancelled', { reason }))
  }

  /** Tells the view about changes of its environment. */
  changeContext(change: ViewContext): void {
    this.#context = { ...this.#context, ...change }
    if (this.#isInitialized && this.#isOpen) this.#peer.notify('ui/notifications/host-context-changed', change)
  }

  /** Ends the view after a short time in which it can save its state. */
  async close(reason = 'the host removes the view'): Promise<void> {
    if (!this.#isOpen) return
    if (this.#isInitialized)
      await this.#peer
        .ask('ui/resource-teardown', { reason }, { timeoutMs: this.#limits.teardownMs })
        .catch(() => {})
    this.#end('closed', reason)
  }

  /** Ends the view immediately. */
  stop(reason: string): void {
    this.#end('stopped', reason)
  }

  get #isOpen(): boolean {
    return this.#state !== 'stopped' && this.#state !== 'closed'
  }

  #end(state: FrameState, reason: string): void {
    if (!this.#isOpen) return
    clearTimeout(this.#timer)
    this.#waiting.length = 0
    this.#set(state, reason)
    this.#peer.close(reason)
  }

  #set(state: FrameState, reason?: string): void {
    this.#state = state
    this.#handlers.onState?.(state, reason)
  }

  #post(message: Wire): void {
    this.#handlers.onMessage?.(message, 'host')
    this.#options.post(message)
  }

  /** Until the view has initialized, the host sends nothing. */
  #whenReady(send: () => void): void {
    if (this.#isInitialized) send()
    else if (this.#isOpen && this.#waiting.length < 1000) this.#waiting.push(send)
  }

  #hear(method: string, params: Params): void {
    switch (method) {
      case 'ui/notifications/initialized': {
        if (this.#isInitialized || this.#state === 'loading') return
        this.#isInitialized = true
        for (const send of this.#waiting.splice(0)) send()
        break
      }
      case 'ui/notifications/size-changed': {
        const { width, height } = params
        if (isLength(width) && isLength(height))
          this.#handlers.onSize?.({ width, height: Math.min(height, this.#limits.maxHeight) })
        break
      }
      case 'notifications/message':
        this.#handlers.log?.(params as unknown as ViewLog)
    }
  }

  async #respond(method: string, params: Params, signal: AbortSignal): Promise<unknown> {
    if (method === 'ui/initialize') return this.#initialize(params)
    if (!this.#isInitialized) throw new ViewError(-32600, `${method} came before ui/notifications/initialized`)
    if (this.#peer.running > this.#limits.requestsAtOnce)
      throw new ViewError(refusals.refused, `more than ${this.#limits.requestsAtOnce} requests at once`)
    switch (method) {
      case 'tools/call':
        return this.#call(params, signal)
      case 'resources/read':
        return this.#read(params, signal)
      case 'ui/message':
        return this.#say(params)
      case 'ui/update-model-context':
        return this.#tellModel(params)
      case 'ui/open-link':
        return this.#openLink(params)
      case 'ui/request-display-mode':
        return this.#display(params)
    }
    throw new ViewError(refusals.methodNotFound, `this host has no method ${method.slice(0, 100)}`)
  }

  #initialize(params: Params) {
    if (this.#state !== 'loading' && this.#state !== 'silent')
      throw new ViewError(-32600, 'this view is initialized already')
    if (typeof params.protocolVersion !== 'string') throw invalid('"protocolVersion" must be a string')
    clearTimeout(this.#timer)
    this.#set('ready')
    const { hostInfo = { name: 'jexo', version: '1' } } = this.#options
    return {
      protocolVersion: uiProtocolVersion,
      hostInfo,
      hostCapabilities: this.capabilities,
      hostContext: this.#context,
    }
  }

  async #call({ name, arguments: args = {} }: Params, signal: AbortSignal): Promise<unknown> {
    const { callTool, tools } = this.#handlers
    if (!callTool) throw lacking('tools/call')
    if (typeof name !== 'string' || !isObject(args))
      throw invalid('tools/call needs "name" and an object "arguments"')
    const tool = tools().find((known) => known.name === name)
    if (!tool) throw invalid(`the server of this page has no tool ${JSON.stringify(name.slice(0, 200))}`)
    if (!uiOf(tool).isForPages)
      throw new ViewError(refusals.refused, `${name} is not for pages: "app" is missing in its visibility`)
    return this.#bounded(await callTool(name, args, withLimit(signal, this.#limits.callMs)))
  }

  async #read({ uri }: Params, signal: AbortSignal): Promise<unknown> {
    const { read } = this.#handlers
    if (!read) throw lacking('resources/read')
    if (typeof uri !== 'string') throw invalid('resources/read needs "uri"')
    const result = await read(uri, withLimit(signal, this.#limits.callMs))
    if (jsonSize(result, this.#limits.messageCharacters) === undefined)
      throw new ViewError(refusals.refused, `${uri.slice(0, 200)} is too large for a page`)
    return result
  }

  async #say({ role, content }: Params): Promise<unknown> {
    const { say } = this.#handlers
    if (!say) throw lacking('ui/message')
    if (role !== 'user') throw invalid('the "role" of ui/message must be "user"')
    await say(this.#content(content))
    return {}
  }

  async #tellModel({ content, structuredContent }: Params): Promise<unknown> {
    const { tellModel } = this.#handlers
    if (!tellModel) throw lacking('ui/update-model-context')
    if (structuredContent !== undefined && !isObject(structuredContent))
      throw invalid('"structuredContent" must be an object')
    if (jsonSize(structuredContent, this.#limits.modelCharacters) === undefined) throw this.#tooMuch()
    await tellModel({
      ...(content === undefined ? {} : { content: this.#content(content) }),
      ...(structuredContent === undefined ? {} : { structuredContent }),
    })
    return {}
  }

  async #openLink({ url }: Params): Promise<unknown> {
    const { openLink } = this.#handlers
    if (!openLink) throw lacking('ui/open-link')
    if (typeof url !== 'string' || !URL.canParse(url)) throw invalid('"url" must be a URL')
    const { protocol, href, username } = new URL(url)
    if ((protocol !== 'https:' && protocol !== 'http:') || username !== '' || href.length > 4000)
      throw new ViewError(refusals.refused, 'only http and https URLs without a user name are opened')
    if (!(await openLink(href))) throw new ViewError(refusals.refused, 'the person did not open the link')
    return {}
  }

  async #display({ mode }: Params): Promise<unknown> {
    const { display } = this.#handlers
    if (!displayModes.includes(mode as DisplayMode))
      throw invalid(`"mode" must be one of ${displayModes.join(', ')}`)
    const { displayMode = 'inline', availableDisplayModes = [] } = this.#context
    // An unsupported mode changes nothing, and the response contains the current one.
    if (!display || !availableDisplayModes.includes(mode as DisplayMode)) return { mode: displayMode }
    return { mode: await display(mode as DisplayMode) }
  }

  #content(given: unknown): readonly ContentBlock[] {
    const isBlocks =
      Array.isArray(given) && given.every((block) => isObject(block) && typeof block.type === 'string')
    if (!isBlocks || given.length === 0 || given.length > 100)
      throw invalid('"content" must be a list of content blocks')
    if (jsonSize(given, this.#limits.modelCharacters) === undefined) throw this.#tooMuch()
    return given as unknown as readonly ContentBlock[]
  }

  #tooMuch = () =>
    new ViewError(refusals.refused, `more than ${this.#limits.modelCharacters} characters are too much for a model`)

  /** Results that would fill the view's memory are not sent. */
  #bounded(result: ToolResult): ToolResult {
    if (jsonSize(result, this.#limits.messageCharacters) !== undefined) return result
    const most = `${Math.round(this.#limits.messageCharacters / 1e6)} MB`
    return {
      content: [{ type: 'text', text: `The result is too large for a page: more than ${most}.` }],
      isError: true,
    }
  }
}

const invalid = (text: string) => new ViewError(refusals.invalidParams, text)
const lacking = (method: string) => new ViewError(refusals.methodNotFound, `this host does not offer ${method}`)
const isLength = (value: unknown): value is number =>
  typeof value === 'number' && Number.isFinite(value) && value >= 0 && value <= 1e6

function withLimit(signal: AbortSignal, ms: number): AbortSignal {
  return AbortSignal.any([signal, AbortSignal.timeout(ms)])
}
