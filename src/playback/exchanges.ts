import {
  isNotification,
  isObject,
  isRequest,
  isResponse,
  type JsonObject,
  type Message,
} from '../protocol/messages.js'
import type { TapeEntry } from '../tape/entry.js'

/** Messages that the server sent while it worked on a request. */
export interface Meanwhile {
  /** Milliseconds after the request. */
  readonly afterMs: number
  readonly message: Message
}

/** A request on a tape, and its response. */
export interface Exchange {
  readonly method: string
  readonly params: JsonObject
  readonly tookMs: number
  readonly meanwhile: readonly Meanwhile[]
  readonly outcome:
    | { readonly result: JsonObject }
    | { readonly error: { code: number; message: string; data?: unknown } }
}

interface Open {
  readonly method: string
  readonly params: JsonObject
  readonly at: number
  readonly token: unknown
  readonly meanwhile: Meanwhile[]
}

const mostOpen = 1000

/** The answered requests of clients on a tape, in the order of their responses. */
export function exchangesOn(entries: readonly TapeEntry[], target: string): Exchange[] {
  const open = new Map<unknown, Open>()
  const found: Exchange[] = []
  for (const entry of entries) {
    if (entry.kind !== 'message' || entry.target !== target) continue
    const { from, message, at } = entry
    if (from === 'client' && isRequest(message)) {
      const params = message.params ?? {}
      const token = isObject(params._meta) ? params._meta.progressToken : undefined
      // A tape may contain any number of unanswered requests.
      if (open.size >= mostOpen) open.delete(open.keys().next().value)
      open.set(message.id, { method: message.method, params, at, token, meanwhile: [] })
    } else if (from === 'server' && isResponse(message)) {
      const asked = open.get(message.id)
      if (!asked) continue
      open.delete(message.id)
      const { method, params, meanwhile } = asked
      const outcome =
        'error' in message ? { error: message.error } : { result: isObject(message.result) ? message.result : {} }
      found.push({ method, params, tookMs: Math.max(0, at - asked.at), meanwhile, outcome })
    } else if (from === 'server') {
      const asked = requestOf(message, open)
      asked?.meanwhile.push({ afterMs: Math.max(0, at - asked.at), message })
    }
  }
  return found
}

/** The request that a message of the server belongs to: the one with its progress token, else the latest call. */
function requestOf(message: Message, open: ReadonlyMap<unknown, Open>): Open | undefined {
  const waiting = [...open.values()]
  if (isNotification(message) && message.method === 'notifications/progress')
    return waiting.find(({ token }) => token !== undefined && token === message.params?.progressToken)
  return waiting
    .reverse()
    .find(({ method }) => method === 'tools/call' || method === 'prompts/get' || method === 'resources/read')
}

/** The targets on a tape that were connected to, in order. */
export function targetsOn(entries: readonly TapeEntry[]): string[] {
  return [
    ...new Set(
      entries.flatMap((entry) =>
        entry.kind === 'message' && isRequest(entry.message) && entry.message.method === 'initialize'
          ? [entry.target]
          : [],
      ),
    ),
  ]
}
