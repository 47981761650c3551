import type { ContentBlock, LogLevel, ResourceContents, ToolResult } from '../../protocol/types.js'
import type { DisplayMode } from '../../protocol/ui.js'
import type { HostCapabilities, ViewContext } from '../wire/messages.js'
import type { AskOptions, Wire } from '../wire/peer.js'

/** The result of the tool that the view shows. */
export type ViewResult<Out> = Omit<ToolResult, 'structuredContent'> & { structuredContent?: Out }

/** Events of a view and the arguments of their listeners. */
export interface ViewEvents<In, Out> {
  /** The complete arguments of the call. */
  input: In
  /** The arguments while they are still being written. */
  partialInput: Partial<In>
  result: ViewResult<Out>
  /** The call was cancelled, with the reason. */
  cancelled: string
  /** The environment changed: theme, size, locale. */
  context: ViewContext
  /** The host is about to remove the view, and waits a short time for the promises of listeners. */
  teardown: string
}

export interface OpenViewOptions<In, Out> {
  /** Name and version for hosts. Default: the title of the page. */
  name?: string
  version?: string
  /** Display modes that the page supports. Default: those of the host. */
  displayModes?: readonly DisplayMode[]
  /** Sample data for use without a host. Default: the first example of the tool. */
  sample?: { input?: In; result?: Out }
  /** Time limit for the host's response, in milliseconds. Default: 10,000. */
  timeoutMs?: number
  /** False to report no sizes, so that the host chooses. Default: true. */
  reportsSize?: boolean
}

/** The host of a view, as the page sees it. */
export interface ViewHost<In, Out> {
  /** Arguments of the call; undefined until the host sends them. */
  readonly input: In | undefined
  readonly partialInput: Partial<In> | undefined
  /** Result of the call; undefined while the call runs. */
  readonly result: ViewResult<Out> | undefined
  /** Why the call was cancelled; undefined if it was not. */
  readonly cancelled: string | undefined
  readonly context: ViewContext
  readonly capabilities: HostCapabilities
  /** Name of the host; undefined without a host. */
  readonly name: string | undefined
  /** True if the page was opened without a host and uses sample data. */
  readonly isStandalone: boolean
  /** Calls the listener for each event from now on; returns a function that ends that. */
  on<E extends keyof ViewEvents<In, Out>>(
    event: E,
    listener: (value: ViewEvents<In, Out>[E]) => unknown,
  ): () => void
  /** Calls the listener after each change of any kind. */
  onChange(listener: () => void): () => void
  /**
   * Calls a tool of the same server that views may call. A tool error is a result with `isError`; a refusal rejects.
   */
  call<T = Record<string, unknown>>(tool: string, args?: object, options?: AskOptions): Promise<ViewResult<T>>
  /** Reads a resource of the same server. */
  read(uri: string, options?: AskOptions): Promise<readonly ResourceContents[]>
  /** Adds a message to the conversation as if the user had written it. */
  say(content: string | readonly ContentBlock[]): Promise<void>
  /** Adds text, content or data to the next turn of the model. Replaces the previous context. */
  tellModel(content: string | readonly ContentBlock[] | Record<string, unknown>): Promise<void>
  /** Asks the host to open an http or https page; the user may refuse. */
  openLink(url: string): Promise<void>
  /** Requests a display mode; resolves with the current one. */
  display(mode: DisplayMode): Promise<DisplayMode>
  log(level: LogLevel, data: unknown): void
}

/** The windows that a view uses; tests pass their own. */
export interface ViewWindow {
  post(message: Wire): void
  listen(heard: (data: unknown) => void): () => void
  /** Undefined if there is no document. */
  readonly document: Document | undefined
  readonly isEmbedded: boolean
}
