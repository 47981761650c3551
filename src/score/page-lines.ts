import { isObject } from '../protocol/messages.js'
import type { TapeEntry } from '../tape/entry.js'
import type { Line } from './line.js'
import { brief, resultSummary } from './words.js'

type PageEntry = Extract<TapeEntry, { kind: 'page' }>

/** Names of loggers by which a view reports blocked requests and script errors. */
const explained: Readonly<Record<string, (data: Record<string, unknown>) => [title: string, detail: string]>> = {
  csp: ({ blocked, directive }) => [
    'blocked by the policy',
    `${String(directive)} does not allow ${String(blocked)}; declare its origin in "connects" or "loads" of the view`,
  ],
  script: ({ message, line }) => ['script error', `${String(message)}${line ? ` (line ${String(line)})` : ''}`],
}

/** Messages between views and their host as lines: an arrow for each, and a mark for errors in the view. */
export class PageLines {
  readonly #open = new Map<string, { sequence: number; at: number; method: string }>()

  add(entry: PageEntry): Partial<Line> & Pick<Line, 'shape' | 'title' | 'detail'> {
    const { from, message } = entry
    const { id, method, params, error } = message
    const given = isObject(params) ? params : {}
    const keyOf = (asker: string) => `${entry.target} ${entry.view} ${asker} ${JSON.stringify(id)}`
    if (typeof method === 'string') {
      if (id !== undefined) {
        if (this.#open.size > 1000) this.#open.clear()
        this.#open.set(keyOf(from), { sequence: entry.sequence, at: entry.at, method })
      }
      const explain = method === 'notifications/message' ? explained[String(given.logger)] : undefined
      if (explain && isObject(given.data)) {
        const [title, detail] = explain(given.data)
        return { shape: 'page', from, title, detail, isFault: true }
      }
      const isQuiet = /size-changed|initialized?$|sandbox-/.test(method)
      const name = method === 'tools/call' ? ` ${String(given.name)}` : ''
      return {
        shape: 'page',
        from,
        title: `${method.replace('ui/notifications/', '')}${name}`,
        detail: wordsOf(given),
        isQuiet,
      }
    }
    const asked = this.#open.get(keyOf(from === 'host' ? 'page' : 'host'))
    this.#open.delete(keyOf(from === 'host' ? 'page' : 'host'))
    const timing = asked ? { tookMs: entry.at - asked.at, of: asked.sequence } : {}
    if (isObject(error))
      return {
        shape: 'page',
        from,
        title: `error ${String(error.code)}`,
        detail: String(error.message),
        isFault: true,
        ...timing,
      }
    const isQuiet = asked !== undefined && /initialize$/.test(asked.method)
    return { shape: 'page', from, title: 'result', detail: resultSummary(message.result), isQuiet, ...timing }
  }
}

function wordsOf(params: Record<string, unknown>): string {
  const { arguments: args, content, url, uri, mode, width, height } = params
  if (args !== undefined) return brief(args)
  if (url !== undefined || uri !== undefined || mode !== undefined) return String(url ?? uri ?? mode)
  if (width !== undefined) return `${String(width)} × ${String(height)}`
  return content !== undefined ? resultSummary(params) : brief(params)
}
