import pLimit from 'p-limit'
import { useEffect, useMemo, useRef, useState } from 'react'
import type { ToolDefinition, ToolResult } from '../../../src/protocol/types.js'
import { type DisplayMode, displayModes, isViewType, type ViewMeta, viewMetaOf } from '../../../src/protocol/ui.js'
import type { FrameHandlers, FrameState } from '../../../src/view/frame/frame-session.js'
import { jsonSize } from '../../../src/view/frame/json-size.js'
import { type OpenFrame, openFrame } from '../../../src/view/frame/open-frame.js'
import { plainStyles } from '../../../src/view/frame/plain-styles.js'
import type { ViewContext } from '../../../src/view/wire/messages.js'
import { ViewError } from '../../../src/view/wire/peer.js'
import { ask, cancel, tellPageMessages } from '../api'
import type { ViewControls, ViewSettings } from './Surroundings'
import type { ShownCall } from './ViewPanel'

interface Given {
  target: string
  uri: string
  proxy: string
  call: ShownCall
  settings: ViewSettings
  tool: ToolDefinition
  tools: readonly ToolDefinition[]
  /** Revision of the catalogue: a change may affect the view. */
  version: number | undefined
  changeMode: (mode: DisplayMode) => void
}

interface Page {
  html: string
  meta: ViewMeta
}

/** A view in its frames, for one call: opened with it, given its result, and opened again when its document changes. */
export function useFrame(given: Given) {
  const { target, uri, proxy, call, settings, version } = given
  const container = useRef<HTMLDivElement>(null)
  const frame = useRef<OpenFrame>(undefined)
  const now = useRef(given)
  now.current = given
  const [page, setPage] = useState<Page>()
  const [round, setRound] = useState(0)
  const [state, setState] = useState<FrameState>('loading')
  const [reason, setReason] = useState<string>()
  const [link, setLink] = useState<{ url: string; answer: (isOpened: boolean) => void }>()
  const [said, setSaid] = useState<readonly string[]>([])
  const [told, setTold] = useState<string>()
  const [height, setHeight] = useState(0)
  const [problem, setProblem] = useState<string>()
  const partial = useRef(false)
  /** The frame that has received the result of its call. */
  const finished = useRef<OpenFrame>(undefined)
  const finish = ({ result, failure }: ShownCall) => {
    const at = frame.current
    if (!at || finished.current === at || (result === undefined && failure === undefined)) return
    finished.current = at
    if (failure !== undefined) at.cancel(failure)
    else at.giveResult(result as unknown as ToolResult)
  }
  const offers = JSON.stringify(settings.offers)

  // biome-ignore lint/correctness/useExhaustiveDependencies: another catalogue may bring another document
  useEffect(() => {
    let isGone = false
    readPage(target, uri).then(
      (found) => {
        if (isGone) return
        setProblem(undefined)
        setPage((before) => (before?.html === found.html ? before : found))
      },
      (error: Error) => {
        if (!isGone) setProblem(error.message)
      },
    )
    return () => {
      isGone = true
    }
  }, [target, uri, version])

  // biome-ignore lint/correctness/useExhaustiveDependencies: the rest changes while the page is open
  useEffect(() => {
    const at = container.current
    if (!page || !at) return
    setState('loading')
    setReason(undefined)
    setLink(undefined)
    const record = recorder(target, uri)
    const handlers = handlersFor(now, {
      onMessage: record.add,
      flush: record.send,
      onState: (next, why) => {
        setState(next)
        setReason(why)
      },
      onSize: (size) => setHeight(size.height),
      say: (text) => setSaid((before) => [...before.slice(-19), text]),
      tell: setTold,
      link: (url) =>
        new Promise((resolve) =>
          setLink({
            url,
            answer: (isOpened) => {
              setLink(undefined)
              resolve(isOpened)
            },
          }),
        ),
    })
    const { toolInfo, ...context } = contextOf(now.current, at)
    const opened = openFrame({
      ...{ container: at, proxy, html: page.html, meta: page.meta, handlers, title: `View ${uri}` },
      hostInfo: { name: 'loupe', version: '1.0.0' },
      context: { ...context, ...(toolInfo ? { toolInfo } : {}) },
      reportsErrors: true,
    })
    frame.current = opened
    const { input } = now.current.call
    if (partial.current) for (const some of partsOf(input)) opened.givePartialInput(some)
    partial.current = false
    opened.giveInput(input)
    finished.current = undefined
    finish(now.current.call)
    return () => {
      frame.current = undefined
      void opened.close().finally(record.send)
    }
  }, [page, proxy, target, uri, call.key, round, offers])

  // The result may arrive while the view is open.
  const isOver = call.result !== undefined || call.failure !== undefined
  // biome-ignore lint/correctness/useExhaustiveDependencies: once, when it is there
  useEffect(() => finish(now.current.call), [isOver])

  // biome-ignore lint/correctness/useExhaustiveDependencies: what is told is what changed
  useEffect(() => {
    if (container.current) frame.current?.changeContext(contextOf(now.current, container.current, true))
  }, [settings.theme, settings.width, settings.locale, settings.displayMode])

  const controls: ViewControls = useMemo(
    () => ({
      reload: () => setRound((before) => before + 1),
      partial: () => {
        partial.current = true
        setRound((before) => before + 1)
      },
      cancel: () => frame.current?.cancel('cancelled in Loupe'),
      setMode: (mode) => now.current.changeMode(mode),
    }),
    [],
  )
  return { container, state, reason, problem, link, said, told, height, controls }
}

async function readPage(target: string, uri: string): Promise<Page> {
  const asked = await ask(target, `view ${crypto.randomUUID()}`, 'resources/read', { uri })
  if ('error' in asked) throw new Error(`${uri} cannot be read: ${asked.error.message}`)
  const contents = asked.result.contents as
    | { uri: string; mimeType?: string; text?: string; blob?: string }[]
    | undefined
  const found = contents?.find((one) => one.uri === uri) ?? contents?.[0]
  if (!found || !isViewType(found.mimeType))
    throw new Error(`${uri} has the type ${found?.mimeType ?? 'none'}; a view has text/html;profile=mcp-app`)
  const html =
    found.text ?? new TextDecoder().decode(Uint8Array.from(atob(found.blob ?? ''), (char) => char.charCodeAt(0)))
  return { html, meta: viewMetaOf(found as { _meta?: Record<string, unknown> }) }
}

interface Told {
  /** Resolves when the message is recorded. */
  flush: () => Promise<void>
  onMessage: NonNullable<FrameHandlers['onMessage']>
  onState: NonNullable<FrameHandlers['onState']>
  onSize: NonNullable<FrameHandlers['onSize']>
  say: (text: string) => void
  tell: (text: string) => void
  link: (url: string) => Promise<boolean>
}

function handlersFor(
  now: { current: Given },
  { onMessage, onState, onSize, flush, say, tell, link }: Told,
): FrameHandlers {
  const { target, settings } = now.current
  const { offers } = settings
  const asking = async <T>(method: string, params: object, signal: AbortSignal): Promise<T> => {
    const key = `page ${crypto.randomUUID()}`
    signal.addEventListener('abort', () => void cancel(target, key), { once: true })
    // In the score, the view's request comes before the request to the server.
    await flush()
    const asked = await inTurn(() => ask(target, key, method, params))
    if ('error' in asked)
      throw new ViewError(typeof asked.error.code === 'number' ? asked.error.code : -32000, asked.error.message)
    return asked.result as T
  }
  return {
    ...{ onMessage, onState, onSize },
    tools: () => now.current.tools,
    ...(offers.serverTools
      ? { callTool: (name, args, signal) => asking('tools/call', { name, arguments: args }, signal) }
      : {}),
    ...(offers.serverResources ? { read: (uri, signal) => asking('resources/read', { uri }, signal) } : {}),
    ...(offers.message ? { say: async (content) => say(textOf(content)) } : {}),
    ...(offers.updateModelContext
      ? {
          tellModel: async ({ content, structuredContent }) =>
            tell(content ? textOf(content) : JSON.stringify(structuredContent, null, 2)),
        }
      : {}),
    ...(offers.openLinks ? { openLink: link } : {}),
    ...(offers.logging ? { log: () => {} } : {}),
    display: async (mode) => {
      now.current.changeMode(mode)
      return mode
    },
  }
}

function contextOf({ settings, tool, call }: Given, container: HTMLElement, isChange = false): ViewContext {
  const { theme, locale, displayMode, width } = settings
  return {
    theme,
    styles: plainStyles(theme),
    locale,
    displayMode,
    containerDimensions: { width: width > 0 ? width : container.clientWidth, maxHeight: 1200 },
    ...(isChange
      ? {}
      : {
          toolInfo: { id: call.key, tool },
          availableDisplayModes: displayModes,
          timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
          platform: 'web' as const,
          userAgent: 'loupe',
        }),
  }
}

/** The arguments as a model writes them, piece by piece. */
const partsOf = (input: Record<string, unknown>): Record<string, unknown>[] =>
  Object.keys(input).map((_, at, names) =>
    Object.fromEntries(names.slice(0, at + 1).map((name) => [name, input[name]])),
  )

const textOf = (content: readonly { type: string }[]): string =>
  content.map((block) => ('text' in block ? String(block.text) : `(${block.type})`)).join('\n')

/** Messages up to so many characters are recorded in full. */
const mostRecorded = 200_000

/** A summary of a large message. */
function cut(message: object): object {
  const { jsonrpc, id, method } = message as { jsonrpc?: unknown; id?: unknown; method?: unknown }
  const note = { note: `a message of more than ${mostRecorded / 1000} kB` }
  return {
    jsonrpc,
    ...(id === undefined ? {} : { id }),
    ...(method === undefined ? { result: note } : { method, params: note }),
  }
}

/** Requests of views in progress: a browser has six connections to an origin, and this page needs some itself. */
const inTurn = pLimit(3)

/** Batches messages for the score, so that a view with many messages causes few requests. */
function recorder(target: string, uri: string) {
  let gathered: { from: 'host' | 'page'; message: object }[] = []
  let timer: ReturnType<typeof setTimeout> | undefined
  const send = async () => {
    clearTimeout(timer)
    timer = undefined
    const messages = gathered
    gathered = []
    if (messages.length > 0) await tellPageMessages(target, uri, messages).catch(() => {})
  }
  return {
    add(message: object, from: 'host' | 'page') {
      gathered.push({ from, message: jsonSize(message, mostRecorded) === undefined ? cut(message) : message })
      timer ??= setTimeout(send, 50)
    },
    send,
  }
}
