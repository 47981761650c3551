import type { Call } from '../kit/call.js'
import { kitErrors } from '../kit/errors.js'
import { passageOf } from '../kit/passage.js'
import { PassedError } from '../kit/verbatim.js'
import { isNotification, isObject, isRequest, type JsonObject, type Message } from '../protocol/messages.js'
import { codes } from '../protocol/rpc-error.js'
import type { Upstream } from '../wrap/server/parts.js'
import type { UriMap } from '../wrap/server/uris.js'
import type { Exchange } from './exchanges.js'

export interface PlaybackOptions {
  /** Speed of the replay: 1 as recorded, 10 ten times as fast, 0 without waiting. Default: 1. */
  readonly speed?: number
}

const longestWaitMs = 600_000

/**
 * Answers as a recorded server did: the same request gets the same response, in the order of the tape; the last one
 * repeats.
 */
export class RecordedServer implements Upstream {
  readonly #exchanges = new Map<string, Exchange[]>()
  readonly #all: readonly Exchange[]
  readonly #next = new Map<string, number>()
  readonly #speed: number

  constructor(exchanges: readonly Exchange[], { speed = 1 }: PlaybackOptions = {}) {
    if (!(speed >= 0 && speed <= 1_000_000)) throw kitErrors.partField('the recording', 'speed', 'a number from 0')
    this.#all = exchanges
    this.#speed = speed
    for (const exchange of exchanges) {
      const key = keyOf(exchange.method, exchange.params)
      const known = this.#exchanges.get(key)
      if (known) known.push(exchange)
      else this.#exchanges.set(key, [exchange])
    }
  }

  callTool(call: Call, name: string, input: JsonObject): Promise<JsonObject> {
    return this.ask(call, 'tools/call', { name, arguments: input })
  }

  read(call: Call, uri: string | undefined, uris: UriMap): Promise<JsonObject> {
    return this.ask(call, 'resources/read', { uri: uri ?? uris.inner(String(passageOf(call)?.params.uri)) })
  }

  async subscribe(): Promise<void> {}

  async ask(call: Call, method: string, params: JsonObject): Promise<JsonObject> {
    const key = keyOf(method, params)
    const recorded = this.#exchanges.get(key)
    if (!recorded) throw this.#unknown(method, params)
    const at = this.#next.get(key) ?? 0
    this.#next.set(key, at + 1)
    return this.#play(call, recorded[Math.min(at, recorded.length - 1)] as Exchange)
  }

  async #play(call: Call, { tookMs, meanwhile, outcome }: Exchange): Promise<JsonObject> {
    const startedAt = performance.now()
    for (const { afterMs, message } of meanwhile) {
      await this.#waitUntil(startedAt, afterMs, call.signal)
      await this.#send(call, message)
    }
    await this.#waitUntil(startedAt, tookMs, call.signal)
    if ('result' in outcome) return outcome.result
    const { code, message, data } = outcome.error
    throw new PassedError(code, message, data)
  }

  async #send(call: Call, message: Message): Promise<void> {
    const passage = passageOf(call)
    const params = ('params' in message && message.params) || {}
    if (isRequest(message)) {
      // The answers of the current user do not change the recorded response.
      await passage?.ask(message.method, params).catch(() => {})
      return
    }
    if (!isNotification(message)) return
    if (message.method === 'notifications/progress')
      call.progress(Number(params.progress), asNumber(params.total), asText(params.message))
    else if (message.method === 'notifications/resources/updated') call.resourceUpdated(String(params.uri))
    else if (message.method === 'notifications/message') passage?.notify(message.method, params)
  }

  async #waitUntil(startedAt: number, afterMs: number, signal: AbortSignal): Promise<void> {
    if (this.#speed === 0) return
    const waitMs = Math.min(afterMs / this.#speed - (performance.now() - startedAt), longestWaitMs)
    if (waitMs <= 1 || signal.aborted) return
    await new Promise<void>((resolve) => {
      const timer = setTimeout(resolve, waitMs)
      signal.addEventListener('abort', () => {
        clearTimeout(timer)
        resolve()
      })
    })
  }

  #unknown(method: string, params: JsonObject): PassedError {
    const subject = subjectOf(params)
    const alike = this.#all.filter((one) => one.method === method && subjectOf(one.params) === subject)
    const nearest = nearestTo(params, alike)
    const shown = nearest === undefined ? '' : `; the nearest is ${JSON.stringify(nearest).slice(0, 500)}`
    const what = JSON.stringify(withoutMeta(params)).slice(0, 300)
    return new PassedError(codes.invalidParams, `The recording has no ${method} ${what}${shown}`)
  }
}

const asNumber = (value: unknown) => (typeof value === 'number' ? value : undefined)
const asText = (value: unknown) => (typeof value === 'string' ? value : undefined)

/** The name or URI in a request. */
const subjectOf = ({ name, uri, ref }: JsonObject): string => String(name ?? uri ?? JSON.stringify(ref))

/** The recorded arguments that differ in the fewest fields. */
function nearestTo(params: JsonObject, exchanges: readonly Exchange[]): unknown {
  const given = fieldsOf(params)
  const distance = ({ params: recorded }: Exchange) => {
    const other = fieldsOf(recorded)
    const names = new Set([...Object.keys(given), ...Object.keys(other)])
    return [...names].filter((name) => canonical(given[name]) !== canonical(other[name])).length
  }
  const [nearest] = [...exchanges].sort((one, other) => distance(one) - distance(other))
  return nearest && withoutMeta(nearest.params)
}

const fieldsOf = (params: JsonObject): JsonObject => (isObject(params.arguments) ? params.arguments : params)

function withoutMeta({ _meta, task, ...params }: JsonObject): JsonObject {
  return isObject(params.arguments) && Object.keys(params.arguments).length === 0
    ? Object.fromEntries(Object.entries(params).filter(([name]) => name !== 'arguments'))
    : params
}

const keyOf = (method: string, params: JsonObject) => `${method} ${canonical(withoutMeta(params))}`

/** The same text for equal values, in whatever order their fields are. */
function canonical(value: unknown): string {
  return JSON.stringify(value, (_key, item) =>
    isObject(item)
      ? Object.fromEntries(Object.entries(item).sort(([one], [other]) => (one < other ? -1 : 1)))
      : item,
  )
}
