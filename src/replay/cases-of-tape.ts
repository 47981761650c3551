import type { ReadyAnswer } from '../link/answerers.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { TapeEntry } from '../tape/entry.js'
import type { RecordedCall } from './case-file.js'

/** Calls of one session on a tape, in order. */
export interface TapeSession {
  /** Name of the target on the tape. */
  label: string
  calls: RecordedCall[]
  /** Calls without a response on the tape. */
  unanswered: number
}

const kept = new Set(['tools/call', 'resources/read', 'prompts/get'])

/**
 * The sessions of a tape that contain tool calls, reads or prompts. Replies to the server's requests are part of the
 * call.
 */
export function callsOnTape(entries: readonly TapeEntry[]): TapeSession[] {
  const sessions = new Map<string, TapeSession>()
  const labels = new Map<string, string>()
  const open = new Map<string, { call: Omit<RecordedCall, 'outcome'>; answers: ReadyAnswer[] }>()
  const questions = new Map<string, { about: string; session: string }>()
  for (const entry of entries) {
    if (entry.kind === 'state' && entry.label !== undefined) labels.set(entry.target, entry.label)
    if (entry.kind !== 'message') continue
    const { id, method, params, result, error } = entry.message as {
      id?: unknown
      method?: string
      params?: JsonObject
      result?: JsonObject
      error?: { code: number; message: string }
    }
    const key = `${entry.target} ${JSON.stringify(id)}`
    if (entry.from === 'client' && method !== undefined && kept.has(method) && isObject(params)) {
      const label = labels.get(entry.target) ?? entry.target
      const session = sessions.get(entry.target) ?? { label, calls: [], unanswered: 0 }
      sessions.set(entry.target, session)
      session.unanswered++
      const { _meta, ...asked } = params
      const answers: ReadyAnswer[] = []
      open.set(key, {
        call: { target: label, method: method as RecordedCall['method'], params: asked, answers },
        answers,
      })
    } else if (entry.from === 'server' && method === 'elicitation/create') {
      questions.set(key, { about: String(params?.message ?? ''), session: entry.target })
    } else if (entry.from === 'client' && method === undefined && isObject(result)) {
      const question = questions.get(key)
      // Questions do not name their call; they are assigned to the one that began last.
      const last = question && [...open].filter(([at]) => at.startsWith(`${question.session} `)).at(-1)?.[1]
      if (question && last) last.answers.push({ about: question.about, ...(result as unknown as ReadyAnswer) })
      questions.delete(key)
    } else if (entry.from === 'server' && method === undefined) {
      const asked = open.get(key)
      const session = sessions.get(entry.target)
      if (!asked || !session || (!isObject(result) && !isObject(error))) continue
      open.delete(key)
      session.unanswered--
      session.calls.push({ ...asked.call, outcome: isObject(error) ? { error } : { result: result ?? {} } })
    }
  }
  return [...sessions.values()].filter(({ calls, unanswered }) => calls.length + unanswered > 0)
}
