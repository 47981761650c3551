import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Implementation, ToolResult } from '../../protocol/types.js'
import type { ViewMeta } from '../../protocol/ui.js'
import type { ViewContext } from '../wire/messages.js'
import { type FrameHandlers, FrameSession } from './frame-session.js'
import type { FrameLimits } from './limits.js'
import { outerSandbox, policyOf } from './policy.js'
import { proxyUrl } from './proxy-page.js'
import { withReporter } from './reporter.js'

export interface OpenFrameOptions {
  /** Element that the frame is put into. */
  container: HTMLElement
  /** URL of the outer frame's page, on another origin than this page. */
  proxy: string
  /** The document of the view, and `_meta.ui` of its content. */
  html: string
  meta?: ViewMeta
  handlers: FrameHandlers
  hostInfo?: Implementation
  context?: ViewContext
  limits?: Partial<FrameLimits>
  /** Name of the frame for screen readers. */
  title?: string
  /** Has the page report blocked requests and errors of its scripts as log messages of the loggers `csp` and `script`. */
  reportsErrors?: boolean
}

/** A view in a page. */
export interface OpenFrame {
  readonly session: FrameSession
  readonly element: HTMLIFrameElement
  giveInput(args: JsonObject): void
  givePartialInput(args: JsonObject): void
  giveResult(result: ToolResult): void
  cancel(reason: string): void
  changeContext(change: ViewContext): void
  /** Notifies the view, waits a short time for its response, and removes it. */
  close(reason?: string): Promise<void>
}

/** Maximum length of a document, in characters. */
const mostHtml = 20_000_000

/**
 * Shows a view in two nested frames (the extension's double iframe): the outer frame on another origin, the inner one with an opaque origin and a content security policy from the view's declarations. Throws an `Error` if the proxy has the origin of this page: then the view could reach it.
 *
 * @example
 * const frame = openFrame({ container, proxy, html, meta, handlers: { tools: () => tools, callTool } })
 * frame.giveInput({ hive: 'ML-04' })
 * frame.giveResult(result)
 */
export function openFrame(options: OpenFrameOptions): OpenFrame {
  const { container, proxy, html, meta = {}, handlers, title = 'View', reportsErrors = false } = options
  const { origin } = new URL(proxy, location.href)
  if (origin === location.origin)
    throw new Error('the proxy of a view needs an origin of its own, such as another port')
  if (html.length > mostHtml) throw new Error(`the page is larger than ${mostHtml / 1e6} MB`)
  const element = document.createElement('iframe')
  element.title = title
  element.setAttribute('sandbox', outerSandbox)
  const { allow } = policyOf(meta)
  if (allow !== '') element.allow = allow
  element.style.cssText = 'border:0;width:100%;display:block;height:120px;color-scheme:normal'
  element.src = proxyUrl(proxy, meta)

  const post = (message: object) => element.contentWindow?.postMessage(message, origin)
  const sized: FrameHandlers['onSize'] = (size) => {
    element.style.height = `${Math.max(24, Math.ceil(size.height))}px`
    handlers.onSize?.(size)
  }
  const onState: FrameHandlers['onState'] = (state, reason) => {
    // A view that has ended must not continue to run.
    if (state === 'stopped') remove()
    handlers.onState?.(state, reason)
  }
  const session = new FrameSession({
    handlers: { ...bound(handlers), onSize: sized, onState },
    post,
    ...(options.hostInfo ? { hostInfo: options.hostInfo } : {}),
    ...(options.context ? { context: options.context } : {}),
    ...(options.limits ? { limits: options.limits } : {}),
  })

  let isShown = false
  const listener = ({ source, origin: from, data }: MessageEvent) => {
    if (source !== element.contentWindow || from !== origin) return
    const method = isObject(data) ? data.method : undefined
    if (method === 'ui/notifications/sandbox-proxy-ready') {
      // Only once: a page that repeats the message is not the proxy.
      if (isShown) return
      isShown = true
      const { csp, permissions } = meta
      const document = reportsErrors ? withReporter(html) : html
      const params = { html: document, ...(csp ? { csp } : {}), ...(permissions ? { permissions } : {}) }
      post({ jsonrpc: '2.0', method: 'ui/notifications/sandbox-resource-ready', params })
      return
    }
    if (isShown) session.receive(data)
  }
  const remove = () => {
    removeEventListener('message', listener)
    element.remove()
  }
  addEventListener('message', listener)
  container.append(element)
  return {
    session,
    element,
    giveInput: (args) => session.giveInput(args),
    givePartialInput: (args) => session.givePartialInput(args),
    giveResult: (result) => session.giveResult(result),
    cancel: (reason) => session.cancel(reason),
    changeContext: (change) => session.changeContext(change),
    async close(reason) {
      // The view may still save its state; another one may be shown in its place.
      element.style.display = 'none'
      await session.close(reason)
      remove()
    },
  }
}

/** The handlers as bound functions. */
const bound = (handlers: FrameHandlers): FrameHandlers =>
  Object.fromEntries(
    Object.entries(handlers).map(([name, handler]) => [
      name,
      typeof handler === 'function' ? handler.bind(handlers) : handler,
    ]),
  ) as unknown as FrameHandlers
