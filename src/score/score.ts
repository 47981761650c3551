import type { TapeEntry } from '../tape/entry.js'
import type { Line } from './line.js'
import { type OpenCall, OpenCalls } from './open-calls.js'
import { PageLines } from './page-lines.js'
import { isTerminalWord, shortId, startedIn, TaskCalls } from './task-calls.js'
import { brief, lastText, layerText, type MessageSummary, replyText, resultSummary } from './words.js'

type Wire = {
  id?: unknown
  method?: string
  params?: Record<string, unknown>
  result?: unknown
  error?: { code: number; message: string }
}
type MessageEntry = Extract<TapeEntry, { kind: 'message' }>
type Given = Partial<Line> & Pick<Line, 'shape' | 'title' | 'detail'>

const quietMethods =
  /^(initialize|ping|notifications\/initialized|(tools|resources|prompts|resources\/templates)\/list|logging\/setLevel|completion\/complete|roots\/list)$/
const askingMethods = /^(elicitation\/create|sampling\/createMessage)$/
/** Summary of a large message, of which the page has only the beginning. */
const summaryIn = (entry: object): MessageSummary | undefined => (entry as { summary?: MessageSummary }).summary

/** Draws a score entry by entry. The same entries give the same lines, and drawn lines do not change. */
export class Score {
  readonly #open = new OpenCalls()
  readonly #results = new Map<string, number>()
  readonly #tasks = new TaskCalls<OpenCall>()
  readonly #pages = new PageLines()

  /** The line of an entry; undefined for entries that only belong to another line, such as headers. */
  add(entry: TapeEntry): Line | undefined {
    if (entry.kind === 'http') {
      if (entry.failure === undefined && (entry.status ?? 0) < 400) return undefined
      const said = entry.failure ?? `HTTP ${entry.status}`
      return this.#line(entry, {
        shape: 'note',
        from: 'server',
        title: said,
        detail: `${entry.method} ${entry.url}`,
        isFault: true,
      })
    }
    const before = this.#open.bars
    const line = this.#draw(entry)
    // A call that begins here has its bar from the next line on; one that ends here still has it.
    const began = new Set(this.#open.bars.filter((bar) => !before.includes(bar)))
    const ended = before.filter((bar) => bar.sequence === line.of && !this.#open.bars.includes(bar))
    const kept = began.size > 0 ? this.#open.bars.filter((bar) => !began.has(bar)) : this.#open.bars
    return { ...line, open: ended.length > 0 ? [...kept, ...ended].sort((a, b) => a.slot - b.slot) : kept }
  }

  #draw(entry: Exclude<TapeEntry, { kind: 'http' }>): Line {
    switch (entry.kind) {
      case 'stderr':
        return this.#line(entry, { shape: 'stderr', from: 'server', title: 'stderr', detail: entry.text })
      case 'stray': {
        const from = entry.from === 'client' ? 'host' : 'server'
        return this.#line(entry, { shape: 'stray', from, title: 'no message', detail: entry.text, isFault: true })
      }
      case 'state':
        if (entry.state === 'closed') this.#open.endAll(entry.target)
        return this.#line(entry, {
          shape: 'state',
          title: entry.state,
          detail: entry.text,
          isFault: entry.state === 'closed' && entry.isClean !== true,
        })
      case 'sign-in':
        return this.#signIn(entry)
      case 'upstream':
        return this.#upstream(entry, entry.record as unknown as Record<string, unknown>)
      case 'page':
        return this.#line(entry, this.#pages.add(entry))
      case 'message':
        return this.#message(entry)
    }
  }

  #signIn(entry: Extract<TapeEntry, { kind: 'sign-in' }>): Line {
    const { stage, outcome, detail, rule, durationMs } = entry.step
    const isFault = outcome === 'failure'
    return this.#line(entry, {
      shape: outcome === 'waiting' ? 'question' : 'note',
      from: outcome === 'waiting' || stage === 'challenge' || stage === 'retry' ? 'server' : 'host',
      title: `sign-in · ${stage}`,
      detail: rule === undefined ? detail : `${detail}. ${rule}`,
      isFault,
      tookMs: durationMs >= 1 ? durationMs : undefined,
    })
  }

  #message(entry: MessageEntry): Line {
    const from = entry.from === 'client' ? 'host' : 'server'
    const message = entry.message as Wire
    if (message.method === undefined) return this.#response(entry, from, message)
    return message.id === undefined ? this.#note(entry, from, message) : this.#call(entry, from, message)
  }

  #call(entry: MessageEntry, from: Line['from'], message: Wire): Line {
    const method = message.method ?? ''
    const params = message.params ?? {}
    const ref = params.ref as { name?: string; uri?: string } | undefined
    const subject = String(params.name ?? params.uri ?? ref?.name ?? ref?.uri ?? shortId(params.taskId))
    const token = (params._meta as { progressToken?: unknown } | undefined)?.progressToken
    const title = subject ? `${method} ${subject}` : method
    const { sequence, at } = entry
    this.#open.begin(keyOf(entry, from, message.id), {
      slot: 0,
      sequence,
      at,
      method,
      subject: `${title} ${JSON.stringify(params.arguments ?? null)}`,
      token,
      taskId: params.taskId,
    })
    if (askingMethods.test(method)) {
      const said = method.startsWith('elicitation') ? String(params.message ?? '') : lastText(params.messages)
      return this.#line(entry, { shape: 'question', from, title: method, detail: said })
    }
    const isQuiet = quietMethods.test(method)
    return this.#line(entry, {
      shape: 'call',
      from,
      title,
      detail: summaryIn(entry)?.arguments ?? (params.arguments === undefined ? '' : brief(params.arguments)),
      isQuiet,
    })
  }

  #response(entry: MessageEntry, from: Line['from'], message: Wire): Line {
    const key = keyOf(entry, from === 'server' ? 'host' : 'server', message.id)
    const task = startedIn(message.result)
    const open = this.#open.get(key)
    if (task && open) {
      // The call continues: its bar stays until the task has ended.
      this.#open.move(key, this.#tasks.started(entry.target, task.taskId, key, open), open)
      const detail = `${task.status}, ${shortId(task.taskId)}`
      return this.#line(entry, {
        shape: 'result',
        from,
        title: 'task',
        detail,
        tookMs: entry.at - open.at,
        of: open.sequence,
        goesOn: true,
      })
    }
    const call = this.#open.end(key)
    if (call && this.#tasks.isOver(call.method, message)) this.#endTask(entry.target, call.taskId)
    const result = (message.result ?? {}) as { isError?: boolean }
    const isFault = message.error !== undefined || result.isError === true
    const isReply = call !== undefined && askingMethods.test(call.method)
    const resultKey = call && `${entry.target} ${call.subject}`
    const previous = resultKey === undefined ? undefined : this.#results.get(resultKey)
    if (resultKey !== undefined) this.#results.set(resultKey, entry.sequence)
    const whole = summaryIn(entry)
    const said = isReply
      ? (whole?.reply ?? replyText(message.result))
      : (whole?.result ?? resultSummary(message.result))
    return this.#line(entry, {
      shape: isReply ? 'reply' : 'result',
      from,
      title: isFault
        ? message.error
          ? `error ${message.error.code}`
          : 'tool error'
        : isReply
          ? 'reply'
          : 'result',
      detail: message.error ? message.error.message : said,
      isFault,
      isQuiet: !isFault && call !== undefined && quietMethods.test(call.method),
      tookMs: call ? entry.at - call.at : undefined,
      of: call?.sequence,
      previous,
    })
  }

  #note(entry: MessageEntry, from: Line['from'], message: Wire): Line {
    const method = message.method ?? ''
    const params = message.params ?? {}
    if (method === 'notifications/progress') return this.#progress(entry, from, params)
    if (method === 'notifications/jexo/upstream') return this.#upstream(entry, params)
    if (method === 'notifications/tasks/status') return this.#status(entry, from, params)
    if (method === 'notifications/message') {
      const title = `${params.level}${params.logger ? ` · ${params.logger}` : ''}`
      const isFault = /error|critical|alert|emergency/.test(String(params.level))
      return this.#line(entry, { shape: 'mark', from, title, detail: brief(params.data), isFault })
    }
    if (method === 'notifications/cancelled') {
      const call = this.#open.end(keyOf(entry, from, params.requestId))
      const detail = String(params.reason ?? '')
      return this.#line(entry, {
        shape: 'note',
        from,
        title: 'cancelled',
        detail,
        of: call?.sequence,
        isFault: true,
      })
    }
    const title = method.replace('notifications/', '')
    const isQuiet = quietMethods.test(method)
    return this.#line(entry, { shape: 'note', from, title, detail: String(params.uri ?? ''), isQuiet })
  }

  /** Progress of a task: a mark on its bar, which ends with it. */
  #status(entry: MessageEntry, from: Line['from'], params: Record<string, unknown>): Line {
    const { taskId, status, statusMessage } = params
    const of = this.#tasks.callOf(entry.target, taskId)?.sequence
    if (isTerminalWord(status)) this.#endTask(entry.target, taskId)
    const detail = [shortId(taskId), statusMessage ?? ''].filter(Boolean).join(' · ')
    return this.#line(entry, {
      shape: 'mark',
      from,
      title: String(status),
      detail,
      isFault: status === 'failed',
      of,
    })
  }

  #endTask(target: string, taskId: unknown): void {
    const key = this.#tasks.keyOf(target, taskId)
    if (key !== undefined) this.#open.end(key)
  }

  #progress(entry: MessageEntry, from: Line['from'], params: Record<string, unknown>): Line {
    const call = this.#open.withToken(entry.target, params.progressToken)
    const { progress, total } = params as { progress: number; total?: number }
    const share = total ? progress / total : undefined
    const said = total === undefined ? String(progress) : `${progress} of ${total}`
    const detail = params.message === undefined ? said : `${said} · ${params.message}`
    return this.#line(entry, { shape: 'mark', from, title: 'progress', detail, share, of: call?.sequence })
  }

  /** An upstream request of a call (an arrow to the last lane), or an action of a layer (a mark on the bar). */
  #upstream(entry: TapeEntry, params: Record<string, unknown>): Line {
    const { requestId, label, kind, status, bytes, durationMs, detail } = params
    const key = keyOf(entry, 'host', requestId)
    const of = (this.#open.get(key) ?? this.#tasks.byRequest(key))?.sequence
    if (kind === 'layer') {
      const title = `${label} ${status}`
      const isFault = status === 'refused'
      return this.#line(entry, {
        shape: 'mark',
        from: 'server',
        title,
        detail: layerText(detail),
        isFault,
        of,
        layer: String(label),
      })
    }
    const isFault = typeof status === 'number' ? status >= 400 : status !== undefined && status !== 'ok'
    const size = typeof bytes === 'number' ? `${bytes.toLocaleString('en')} bytes` : ''
    return this.#line(entry, {
      shape: 'upstream',
      from: 'server',
      // The lane is narrow; the host name is in the details.
      title: kind === 'http' ? String(label).replace(/ https?:\/\/[^/]+/, ' ') : `${kind} ${label}`,
      detail: [status, size].filter((fact) => fact !== undefined && fact !== '').join(' · '),
      isFault,
      tookMs: Number(durationMs),
      of,
    })
  }

  #line(entry: TapeEntry, given: Given): Line {
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
      goesOn: false,
      layer: undefined,
      previous: undefined,
      open: this.#open.bars,
      entry,
      ...given,
    }
  }
}

/** The whole score of a list of entries. */
export function scoreOf(entries: Iterable<TapeEntry>): Line[] {
  const score = new Score()
  return [...entries].flatMap((entry) => score.add(entry) ?? [])
}

const keyOf = (entry: TapeEntry, asker: string, id: unknown) => `${entry.target} ${asker} ${JSON.stringify(id)}`
