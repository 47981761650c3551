/** A value in one short line: `hive "ML-04", most 5`. */
export function brief(value: unknown): string {
  if (typeof value === 'string') return value
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? ''
  if (Array.isArray(value)) return value.length === 1 ? brief(value[0]) : `${value.length} items`
  return Object.entries(value)
    .map(([key, item]) => `${key} ${inner(item)}`)
    .join(', ')
}

function inner(item: unknown): string {
  if (typeof item !== 'object' || item === null) return JSON.stringify(item)
  return Array.isArray(item) ? `[${item.length}]` : '{…}'
}

/** Note of a layer: `retry after 3.0 s`, `try 2`. */
export function layerText(detail: unknown): string {
  if (typeof detail !== 'object' || detail === null) return ''
  return Object.entries(detail)
    .map(([key, value]) => {
      const words = key.replace(/([A-Z])/g, ' $1').toLowerCase()
      if (typeof value !== 'number' || !/(^| )ms$/.test(words)) return `${words} ${inner(value)}`
      const shown = value < 1000 ? `${Math.round(value)} ms` : `${(value / 1000).toFixed(1)} s`
      return `${words.replace(/ ?ms$/, '')} ${shown}`.trim()
    })
    .join(', ')
}

/** A response in one line. */
export function resultSummary(result: unknown): string {
  const { structuredContent, content, contents, messages, ...rest } = (result ?? {}) as Record<string, unknown>
  const { serverInfo, protocolVersion } = rest as {
    serverInfo?: { name?: string; version?: string }
    protocolVersion?: string
  }
  if (serverInfo) return `${serverInfo.name} ${serverInfo.version}, revision ${protocolVersion}`
  if (structuredContent) return brief(structuredContent)
  const { taskId, status, statusMessage } = rest
  if (typeof taskId === 'string' && status) return [status, statusMessage].filter(Boolean).join(' · ')
  const first = (Array.isArray(content) ? content : Array.isArray(contents) ? contents : [])[0] as
    | { text?: string; type?: string; mimeType?: string }
    | undefined
  if (first)
    return (
      first.text?.slice(0, 400).replace(/\s+/g, ' ').slice(0, 160) ??
      `${first.type ?? ''} ${first.mimeType ?? ''}`.trim()
    )
  if (Array.isArray(messages)) return `${messages.length} ${messages.length === 1 ? 'message' : 'messages'}`
  return brief(rest)
}

/** Reply of the user or of a model. */
export function replyText(result: unknown): string {
  const { action, content, model } = (result ?? {}) as { action?: string; content?: unknown; model?: string }
  if (action !== undefined) return [action, brief(content ?? {})].filter(Boolean).join(': ')
  const blocks = (Array.isArray(content) ? content : [content]) as ({ text?: string; type?: string } | undefined)[]
  const said = blocks.map((block) => block?.text ?? block?.type ?? '').join(' ')
  return [model, said.slice(0, 160).replace(/\s+/g, ' ')].filter(Boolean).join(': ')
}

const short = (text: string) => (text.length > 400 ? `${text.slice(0, 400)}…` : text)

/** Summary of a message for the score, created before the message is truncated. */
export interface MessageSummary {
  readonly arguments?: string
  readonly result?: string
  readonly reply?: string
}

export function summaryOf(message: unknown): MessageSummary {
  const { params, result } = (message ?? {}) as { params?: { arguments?: unknown }; result?: unknown }
  return {
    ...(params?.arguments === undefined ? {} : { arguments: short(brief(params.arguments)) }),
    ...(result === undefined ? {} : { result: short(resultSummary(result)), reply: short(replyText(result)) }),
  }
}

/** The text of the last message of a request to a model. */
export function lastText(messages: unknown): string {
  const last = (Array.isArray(messages) ? messages.at(-1) : undefined) as { content?: unknown } | undefined
  const blocks = [last?.content].flat() as ({ text?: string; type?: string } | undefined)[]
  return blocks.map((block) => block?.text ?? block?.type ?? '').join(' ')
}
