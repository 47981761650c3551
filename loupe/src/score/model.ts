import type { JournalEntry } from '../api.js'

/** One line of the score: something that crossed from one lane to another, or a mark in a lane. */
export interface Line {
  sequence: number
  at: number
  target: string
  /** `call` and `answer` are arrows between host and server, `upstream` one beyond it; `mark` belongs to a call; the rest stand alone. */
  shape: 'call' | 'answer' | 'mark' | 'upstream' | 'note' | 'stderr' | 'state'
  from: 'host' | 'server'
  title: string
  detail: string
  isFault: boolean
  /** Of the connection's own housekeeping: drawn quietly. */
  isQuiet: boolean
  tookMs: number | undefined
  /** How far a call is, 0 to 1, where a progress mark says so. */
  share: number | undefined
  /** Sequence of the call that this answers or marks. */
  of: number | undefined
  /** Calls that are open while this happens, for the bars on the server's lane. */
  open: readonly { sequence: number; slot: number }[]
  entry: JournalEntry
}

interface OpenCall {
  /** Place of its bar beside others that are open at the same time. */
  slot: number
  sequence: number
  at: number
  method: string
  subject: string
  token: unknown
}
type Wire = {
  id?: unknown
  method?: string
  params?: Record<string, unknown>
  result?: unknown
  error?: { code: number; message: string }
}

const quietMethods =
  /^(initialize|ping|notifications\/initialized|(tools|resources|prompts|resources\/templates)\/list|logging\/setLevel|completion\/complete)$/

/** Draws up the score of a journal. Pure: the same entries give the same lines. */
export function scoreOf(entries: readonly JournalEntry[]): Line[] {
  const open = new Map<string, OpenCall>()
  return entries.map((entry) => {
    const before = [...open.values()]
    const line = lineOf(entry, open)
    // The call that begins here has its bar from the next line on; the one that ends here still has it.
    const bars = before.filter((call) => call.sequence === line.of || [...open.values()].includes(call))
    return { ...line, open: bars.map(({ sequence, slot }) => ({ sequence, slot })) }
  })
}

function freeSlot(open: Map<string, OpenCall>): number {
  const taken = new Set([...open.values()].map(({ slot }) => slot))
  let slot = 0
  while (taken.has(slot)) slot++
  return slot
}

function lineOf(entry: JournalEntry, open: Map<string, OpenCall>): Line {
  if (entry.kind === 'stderr')
    return plain(entry, { shape: 'stderr', from: 'server', title: 'stderr', detail: entry.text })
  if (entry.kind === 'state') {
    // What a connection that ended left open will not be answered any more.
    if (entry.state === 'closed')
      for (const key of [...open.keys()]) if (key.startsWith(`${entry.target} `)) open.delete(key)
    return plain(entry, {
      shape: 'state',
      title: entry.state,
      detail: entry.text,
      isFault: entry.state === 'closed',
    })
  }
  const from = entry.from === 'client' ? 'host' : 'server'
  const message = entry.message as Wire
  if (message.method !== undefined && message.id !== undefined) return callLine(entry, from, message, open)
  if (message.method !== undefined) return noteLine(entry, from, message, open)
  return answerLine(entry, from, message, open)
}

function callLine(entry: JournalEntry, from: Line['from'], message: Wire, open: Map<string, OpenCall>): Line {
  const method = message.method ?? ''
  const params = message.params ?? {}
  const subject = String(
    params.name ?? params.uri ?? (params.ref as { name?: string; uri?: string } | undefined)?.name ?? '',
  )
  const token = (params._meta as { progressToken?: unknown } | undefined)?.progressToken
  open.set(keyOf(entry, from, message.id), {
    slot: freeSlot(open),
    sequence: entry.sequence,
    at: entry.at,
    method,
    subject,
    token,
  })
  return plain(entry, {
    shape: 'call',
    from,
    title: subject ? `${method} ${subject}` : method,
    detail: params.arguments === undefined ? '' : brief(params.arguments),
    isQuiet: quietMethods.test(method),
  })
}

function answerLine(entry: JournalEntry, from: Line['from'], message: Wire, open: Map<string, OpenCall>): Line {
  const key = keyOf(entry, from === 'server' ? 'host' : 'server', message.id)
  const call = open.get(key)
  open.delete(key)
  const result = (message.result ?? {}) as { isError?: boolean }
  const isFault = message.error !== undefined || result.isError === true
  return plain(entry, {
    shape: 'answer',
    from,
    title: isFault ? (message.error ? `error ${message.error.code}` : 'tool error') : 'answer',
    detail: message.error ? message.error.message : answerText(message.result),
    isFault,
    isQuiet: !isFault && call !== undefined && quietMethods.test(call.method),
    tookMs: call ? entry.at - call.at : undefined,
    of: call?.sequence,
  })
}

function noteLine(entry: JournalEntry, from: Line['from'], message: Wire, open: Map<string, OpenCall>): Line {
  const method = message.method ?? ''
  const params = message.params ?? {}
  if (method === 'notifications/progress') {
    const call = [...open.values()].find(({ token }) => token === params.progressToken)
    const { progress, total } = params as { progress: number; total?: number }
    const share = total ? progress / total : undefined
    const said = total === undefined ? String(progress) : `${progress} of ${total}`
    const detail = params.message === undefined ? said : `${said} · ${params.message}`
    return plain(entry, { shape: 'mark', from, title: 'progress', detail, share, of: call?.sequence })
  }
  if (method === 'notifications/jexo/upstream') return upstreamLine(entry, params, open)
  if (method === 'notifications/message') {
    const title = `${params.level}${params.logger ? ` · ${params.logger}` : ''}`
    const isFault = /error|critical|alert|emergency/.test(String(params.level))
    return plain(entry, { shape: 'mark', from, title, detail: brief(params.data), isFault })
  }
  if (method === 'notifications/cancelled') {
    const key = keyOf(entry, from, params.requestId)
    const call = open.get(key)
    open.delete(key)
    return plain(entry, {
      shape: 'note',
      from,
      title: 'cancelled',
      detail: String(params.reason ?? ''),
      of: call?.sequence,
      isFault: true,
    })
  }
  const title = method.replace('notifications/', '')
  return plain(entry, {
    shape: 'note',
    from,
    title,
    detail: String(params.uri ?? ''),
    isQuiet: quietMethods.test(method),
  })
}

/** What the server did outside for a call: an arrow to the last lane. */
function upstreamLine(entry: JournalEntry, params: Record<string, unknown>, open: Map<string, OpenCall>): Line {
  const { requestId, label, kind, status, bytes, durationMs } = params
  const isFault = typeof status === 'number' ? status >= 400 : status !== undefined && status !== 'ok'
  const size = typeof bytes === 'number' ? `${bytes.toLocaleString('en')} bytes` : ''
  return plain(entry, {
    shape: 'upstream',
    from: 'server',
    // The lane is narrow: the host is in the opened record.
    title: kind === 'http' ? String(label).replace(/ https?:\/\/[^/]+/, ' ') : `${kind} ${label}`,
    detail: [status, size].filter((fact) => fact !== undefined && fact !== '').join(' · '),
    isFault,
    tookMs: Number(durationMs),
    of: open.get(keyOf(entry, 'host', requestId))?.sequence,
  })
}

function plain(entry: JournalEntry, given: Partial<Line> & Pick<Line, 'shape' | 'title' | 'detail'>): Line {
  return {
    sequence: entry.sequence,
    at: entry.at,
    target: entry.target,
    from: 'host',
    isFault: false,
    isQuiet: false,
    tookMs: undefined,
    share: undefined,
    of: undefined,
    open: [],
    entry,
    ...given,
  }
}

const keyOf = (entry: JournalEntry, asker: string, id: unknown) => `${entry.target} ${asker} ${JSON.stringify(id)}`

/** A value in one short line: `hive "ML-04", most 5`. */
export function brief(value: unknown): string {
  if (typeof value === 'string') return value
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? ''
  if (Array.isArray(value)) return value.length === 1 ? brief(value[0]) : `${value.length} items`
  return Object.entries(value)
    .map(
      ([key, item]) =>
        `${key} ${typeof item === 'object' && item !== null ? (Array.isArray(item) ? `[${item.length}]` : '{…}') : JSON.stringify(item)}`,
    )
    .join(', ')
}

function answerText(result: unknown): string {
  const { structuredContent, content, contents, messages, ...rest } = (result ?? {}) as Record<string, unknown>
  if (structuredContent) return brief(structuredContent)
  const first = (Array.isArray(content) ? content : Array.isArray(contents) ? contents : [])[0] as
    | { text?: string; type?: string; mimeType?: string }
    | undefined
  if (first)
    return first.text?.replace(/\s+/g, ' ').slice(0, 160) ?? `${first.type ?? ''} ${first.mimeType ?? ''}`.trim()
  if (Array.isArray(messages)) return `${messages.length} ${messages.length === 1 ? 'message' : 'messages'}`
  return brief(rest)
}
