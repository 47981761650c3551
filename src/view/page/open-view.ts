import type { ViewSample } from '../../kit/view.js'
import { isObject } from '../../protocol/messages.js'
import type { ContentBlock, LogLevel, ResourceContents } from '../../protocol/types.js'
import { type DisplayMode, uiProtocolVersion } from '../../protocol/ui.js'
import type { HostCapabilities, InitializeResult, ModelContext, ViewContext } from '../wire/messages.js'
import { type AskOptions, type Params, Peer, refusals, ViewError } from '../wire/peer.js'
import { samplesOf, showStandalone } from './standalone.js'
import { applyContext, reportSize } from './surroundings.js'
import type { OpenViewOptions, ViewEvents, ViewHost, ViewResult, ViewWindow } from './view-host.js'

/**
 * Connects a page to the host that shows it. `In` and `Out` are the arguments and the structured result of the tool.
 * Rejects with a `ViewError` if the page is in a frame and the host does not respond in time.
 *
 * @example
 * const host = await openView<{ hive: string }, { kg: number }>()
 * host.on('result', ({ structuredContent }) => draw(structuredContent?.kg))
 * button.onclick = () => host.call('weigh_hive', host.input)
 */
export async function openView<In = Record<string, unknown>, Out = Record<string, unknown>>(
  options: OpenViewOptions<In, Out> = {},
  inWindow: ViewWindow = browserWindow(),
): Promise<ViewHost<In, Out>> {
  const view = new View<In, Out>(options, inWindow)
  await view.open()
  return view
}

class View<In, Out> implements ViewHost<In, Out> {
  input: In | undefined
  partialInput: Partial<In> | undefined
  result: ViewResult<Out> | undefined
  cancelled: string | undefined
  context: ViewContext = {}
  capabilities: HostCapabilities = {}
  name: string | undefined
  readonly isStandalone: boolean
  readonly #options: OpenViewOptions<In, Out>
  readonly #window: ViewWindow
  readonly #peer: Peer
  readonly #listeners = new Map<string, Set<(value: never) => unknown>>()
  #samples: readonly ViewSample[] = []
  #stop: (() => void)[] = []

  constructor(options: OpenViewOptions<In, Out>, inWindow: ViewWindow) {
    this.#options = options
    this.#window = inWindow
    this.isStandalone = !inWindow.isEmbedded
    this.#peer = new Peer({
      post: (message) => inWindow.post(message),
      respond: (method, params) => this.#respond(method, params),
      hear: (method, params) => this.#hear(method, params),
    })
  }

  async open(): Promise<void> {
    const { document } = this.#window
    if (this.isStandalone) return this.#runAlone()
    this.#stop.push(this.#window.listen((data) => this.#peer.receive(data)))
    const { name, version = '1', displayModes, timeoutMs = 10_000 } = this.#options
    const appCapabilities = displayModes ? { availableDisplayModes: displayModes } : {}
    try {
      const opened = await this.#peer.ask<InitializeResult>(
        'ui/initialize',
        {
          protocolVersion: uiProtocolVersion,
          appInfo: { name: name ?? (document?.title || 'view'), version },
          appCapabilities,
        },
        { timeoutMs },
      )
      if (!isObject(opened) || typeof opened.protocolVersion !== 'string')
        throw new ViewError(refusals.internal, 'the host answered ui/initialize without a protocolVersion')
      this.capabilities = isObject(opened.hostCapabilities) ? opened.hostCapabilities : {}
      this.name = isObject(opened.hostInfo) ? String(opened.hostInfo.name) : undefined
      this.#surround(opened.hostContext)
    } catch (error) {
      this.close('the host did not open the view')
      if (document)
        showStandalone(document, `This page is in a frame that does not show views: ${(error as Error).message}.`)
      throw error
    }
    this.#peer.notify('ui/notifications/initialized')
    if (document && this.#options.reportsSize !== false)
      this.#stop.push(reportSize(document, (size) => this.#peer.notify('ui/notifications/size-changed', size)))
  }

  on<E extends keyof ViewEvents<In, Out>>(event: E, listener: (value: ViewEvents<In, Out>[E]) => unknown) {
    return this.#add(event, listener as (value: never) => unknown)
  }

  onChange(listener: () => void) {
    return this.#add('change', listener)
  }

  async call<T = Record<string, unknown>>(tool: string, args: object = {}, options?: AskOptions) {
    if (this.isStandalone) return this.#sampleOf(tool) as ViewResult<T>
    this.#need('serverTools', 'call tools')
    return this.#peer.ask<ViewResult<T>>('tools/call', { name: tool, arguments: args }, options)
  }

  async read(uri: string, options?: AskOptions): Promise<readonly ResourceContents[]> {
    this.#need('serverResources', 'read resources')
    const { contents } = await this.#peer.ask<{ contents?: ResourceContents[] }>('resources/read', { uri }, options)
    return contents ?? []
  }

  async say(content: string | readonly ContentBlock[]): Promise<void> {
    this.#need('message', 'add messages to the conversation')
    await this.#peer.ask('ui/message', { role: 'user', content: blocksOf(content) })
  }

  async tellModel(content: string | readonly ContentBlock[] | Record<string, unknown>): Promise<void> {
    if (this.isStandalone) return
    this.#need('updateModelContext', 'tell the model anything')
    const told: ModelContext =
      typeof content === 'string' || Array.isArray(content)
        ? { content: blocksOf(content) }
        : { structuredContent: content as Record<string, unknown> }
    await this.#peer.ask('ui/update-model-context', told)
  }

  async openLink(url: string): Promise<void> {
    if (!/^https?:\/\//i.test(url))
      throw new ViewError(refusals.invalidParams, `${url} is not an http or https URL`)
    if (this.isStandalone) return void globalThis.open?.(url, '_blank', 'noopener,noreferrer')
    this.#need('openLinks', 'open links')
    await this.#peer.ask('ui/open-link', { url })
  }

  async display(mode: DisplayMode): Promise<DisplayMode> {
    if (this.isStandalone) return 'inline'
    const { availableDisplayModes = [] } = this.context
    if (!availableDisplayModes.includes(mode))
      throw new ViewError(
        refusals.refused,
        `the host has no display mode "${mode}"; it has ${availableDisplayModes.join(', ') || 'none to choose from'}`,
      )
    const { mode: set } = await this.#peer.ask<{ mode: DisplayMode }>('ui/request-display-mode', { mode })
    return set
  }

  log(level: LogLevel, data: unknown): void {
    if (this.isStandalone) console.info(level, data)
    else if (this.capabilities.logging) this.#peer.notify('notifications/message', { level, data })
  }

  close(reason: string): void {
    for (const stop of this.#stop.splice(0)) stop()
    this.#peer.close(reason)
  }

  #add(event: string, listener: (value: never) => unknown) {
    const set = this.#listeners.get(event) ?? new Set()
    this.#listeners.set(event, set.add(listener))
    return () => void set.delete(listener)
  }

  #tell(event: keyof ViewEvents<In, Out>, value: unknown): unknown[] {
    const call = (listener: (value: never) => unknown) => {
      try {
        return listener(value as never)
      } catch (error) {
        // A failing listener must not keep the others from being called.
        console.error(error)
        return undefined
      }
    }
    const returned = [...(this.#listeners.get(event) ?? [])].map(call)
    for (const listener of this.#listeners.get('change') ?? []) call(listener)
    return returned
  }

  #hear(method: string, params: Params): void {
    switch (method) {
      case 'ui/notifications/tool-input':
        this.input = (isObject(params.arguments) ? params.arguments : {}) as In
        this.partialInput = undefined
        this.#tell('input', this.input)
        break
      case 'ui/notifications/tool-input-partial':
        this.partialInput = (isObject(params.arguments) ? params.arguments : {}) as Partial<In>
        this.#tell('partialInput', this.partialInput)
        break
      case 'ui/notifications/tool-result':
        if (!Array.isArray(params.content)) params = { ...params, content: [] }
        this.result = params as unknown as ViewResult<Out>
        this.#tell('result', this.result)
        break
      case 'ui/notifications/tool-cancelled':
        this.cancelled = typeof params.reason === 'string' ? params.reason : 'cancelled'
        this.#tell('cancelled', this.cancelled)
        break
      case 'ui/notifications/host-context-changed':
        this.#surround(params)
        this.#tell('context', this.context)
    }
  }

  async #respond(method: string, params: Params): Promise<unknown> {
    if (method !== 'ui/resource-teardown')
      throw new ViewError(refusals.methodNotFound, `${method} is not a method of a view`)
    const reason = typeof params.reason === 'string' ? params.reason : ''
    await Promise.allSettled(this.#tell('teardown', reason))
    for (const stop of this.#stop.splice(1)) stop()
    return {}
  }

  #surround(change: unknown): void {
    if (!isObject(change)) return
    this.context = { ...this.context, ...change }
    if (this.#window.document) applyContext(this.#window.document, this.context)
  }

  /** A capability that the host did not declare is never used. */
  #need(capability: keyof HostCapabilities, what: string): void {
    if (this.isStandalone) throw new ViewError(refusals.refused, `without a host, this page cannot ${what}`)
    if (!this.capabilities[capability])
      throw new ViewError(
        refusals.methodNotFound,
        `this host does not let pages ${what} (it did not declare "${capability}")`,
      )
  }

  #runAlone(): void {
    const { document } = this.#window
    this.#samples = document ? samplesOf(document) : []
    const own = this.#samples.find(({ shows }) => shows)
    const { sample = {} } = this.#options
    this.input = sample.input ?? (own?.input as In | undefined)
    const output = sample.result ?? (own?.output as Out | undefined)
    if (output !== undefined) this.result = resultOf(output)
    if (document)
      showStandalone(
        document,
        this.input === undefined && this.result === undefined
          ? 'This page is a view: a host shows it beside the result of a tool. It was opened without a host and has no sample data: add examples to the tool, or pass { sample } to openView.'
          : 'This page is a view: a host shows it beside the result of a tool. It was opened without a host and shows sample data.',
      )
    // Listeners are added after this returns.
    setTimeout(() => {
      if (this.input !== undefined) this.#tell('input', this.input)
      if (this.result !== undefined) this.#tell('result', this.result)
    }, 0)
  }

  #sampleOf(tool: string): ViewResult<unknown> {
    const found = this.#samples.find((sample) => sample.tool === tool && sample.output !== undefined)
    if (!found)
      throw new ViewError(
        refusals.refused,
        `without a host, ${tool} returns nothing: it has no example with an output`,
      )
    return resultOf(found.output)
  }
}

const resultOf = <Out>(output: Out): ViewResult<Out> => ({
  content: [{ type: 'text', text: JSON.stringify(output) }],
  structuredContent: output,
})

const blocksOf = (content: string | readonly ContentBlock[]): readonly ContentBlock[] =>
  typeof content === 'string' ? [{ type: 'text', text: content }] : content

/** Accepts messages only from the parent window, and only from the origin of its first response. */
function browserWindow(): ViewWindow {
  const { parent } = globalThis as unknown as Window
  const isEmbedded = parent !== undefined && parent !== (globalThis as unknown as Window)
  let origin: string | undefined
  return {
    document: globalThis.document,
    isEmbedded,
    // The host's origin is unknown before its first response, and nothing secret is sent before that.
    post: (message) => parent.postMessage(message, origin === undefined || origin === 'null' ? '*' : origin),
    listen(heard) {
      const listener = (event: MessageEvent) => {
        if (event.source !== parent || (origin !== undefined && event.origin !== origin)) return
        origin = event.origin
        heard(event.data)
      }
      addEventListener('message', listener)
      return () => removeEventListener('message', listener)
    },
  }
}
