import { messageOf } from '../../errors.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { findRevision, type Revision } from '../../protocol/revisions.js'
import { mismatch, type Pattern } from './pattern.js'
import { needsOf, type Requirement, type Step, type Subject } from './requirement.js'
import type { Talk, WireServer } from './talk.js'

/** Outcome of a check; `broken` names the failed step and the reason. */
export type Outcome =
  | { readonly verdict: 'met' }
  | { readonly verdict: 'not-applicable'; readonly why: string }
  | { readonly verdict: 'broken'; readonly why: string }

export interface WireCheckOptions {
  /** Time limit for the response to a step. Default: 10,000. */
  stepMs?: number
  /** Time limit for the first response after the start. Default: as `stepMs`. */
  openMs?: number
}

/** Sessions in a row that cannot be initialized, after which the other checks fail at once. */
const mostFailures = 3

/**
 * Runs the checks of the table against a server in order. Checks that leave a session unchanged share one, so that a
 * slow server is not started for each.
 */
export class WireCheck {
  readonly #server: WireServer
  readonly #revision: Revision
  readonly #subject: Subject
  readonly #stepMs: number
  readonly #openMs: number
  readonly #open = new Map<string, Talk>()
  /** An earlier session got no first response. */
  #wasSilent = false
  /** Reasons of the latest sessions that could not be initialized. */
  #failures: string[] = []
  #nextId = 100

  constructor(server: WireServer, revision: Revision, subject: Subject, options: WireCheckOptions = {}) {
    this.#server = server
    this.#revision = revision
    this.#subject = subject
    this.#stepMs = options.stepMs ?? 10_000
    this.#openMs = options.openMs ?? this.#stepMs
  }

  async check(row: Requirement): Promise<Outcome> {
    const why = notApplicable(row, this.#server.transport, this.#revision, this.#subject)
    if (why !== undefined) return { verdict: 'not-applicable', why }
    try {
      const talk = await this.#talkFor(row)
      // An error, such as a connection that broke, ends the session for the next check too.
      const broken = await this.#carryOut(row, talk).catch(messageOf)
      if (row.isLast || broken !== undefined || row.opening === 'none') await this.#endTalk(talk)
      return broken === undefined ? { verdict: 'met' } : { verdict: 'broken', why: broken }
    } catch (error) {
      return { verdict: 'broken', why: messageOf(error) }
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#open.values()].map((talk) => talk.close()))
    this.#open.clear()
  }

  async #talkFor(row: Requirement): Promise<Talk> {
    if (row.opening === 'none') return this.#server.open()
    const key = JSON.stringify([row.opening ?? 'ready', row.client ?? {}, row.isLast ? row.id : ''])
    const known = this.#open.get(key)
    if (known) return known
    // The other checks of a server that is gone or broken need no waiting.
    if (this.#failures.length >= mostFailures) throw new Error(this.#failures.at(-1))
    const talk = await this.#server.open()
    this.#open.set(key, talk)
    try {
      await this.#initialize(talk, row)
      this.#failures = []
    } catch (error) {
      this.#failures.push(messageOf(error))
      // Another check must not wait in a session that never began.
      await this.#endTalk(talk)
      throw error
    }
    return talk
  }

  async #initialize(talk: Talk, row: Requirement): Promise<void> {
    const sent = talk.send({
      jsonrpc: '2.0',
      id: 0,
      method: 'initialize',
      params: {
        protocolVersion: this.#revision.date,
        capabilities: row.client ?? {},
        clientInfo: { name: 'jexo-vet', version: '1' },
      },
    })
    // Over HTTP, sending ends with the response, for which `next` waits.
    void Promise.resolve(sent).catch(() => {})
    const expected = { id: 0, result: { protocolVersion: this.#revision.date } }
    const response = await talk.next(expected, 0, this.#firstMs())
    if (typeof response === 'string') {
      this.#wasSilent = true
      throw new Error(`initialize was not answered: ${response}`)
    }
    if (row.opening === 'initializing') return
    await talk.send({ jsonrpc: '2.0', method: 'notifications/initialized' })
    talk.opened(this.#revision.date)
  }

  /**
   * Time for the first response of a session. A command starts for each session; a server behind a URL runs already, so
   * it gets the longer time only until it was silent once.
   */
  #firstMs(): number {
    return this.#wasSilent && this.#server.transport !== 'stdio' ? this.#stepMs : this.#openMs
  }

  async #endTalk(talk: Talk): Promise<void> {
    for (const [key, open] of this.#open) if (open === talk) this.#open.delete(key)
    await talk.close()
  }

  async #carryOut(row: Requirement, talk: Talk): Promise<string | undefined> {
    const kept: JsonObject = {
      ...this.#subject,
      id: this.#nextId++,
      id2: this.#nextId++,
      revision: this.#revision.date,
    }
    const fill = (value: unknown) => filled(value, kept)
    const begin = talk.came.length
    const taken = new Set<number>()
    let last = begin - 1
    for (const [at, step] of row.exchange.entries()) {
      if ('expect' in step) {
        const from = step.isInOrder ? last + 1 : begin
        const found = await talk.next(
          fill(step.expect),
          from,
          row.opening === 'none' ? this.#firstMs() : this.#stepMs,
          taken,
        )
        if (typeof found === 'string') {
          if (row.opening === 'none') this.#wasSilent = true
          return `step ${at + 1}: ${found}`
        }
        taken.add(found.at)
        last = found.at
        if (step.as !== undefined) kept[step.as] = found.message
      } else {
        const why = await this.#give(step, talk, fill)
        if (why !== undefined) return `step ${at + 1}: ${why}`
      }
    }
    return this.#neverCame(row, talk, begin, fill)
  }

  async #give(step: Step, talk: Talk, fill: (value: unknown) => unknown): Promise<string | undefined> {
    if ('request' in step) return talk.request(step.request, step.response, fill)
    if ('send' in step) void Promise.resolve(talk.send(fill(step.send))).catch(() => {})
    if ('sendText' in step) await talk.sendText(String(fill(step.sendText)))
    return undefined
  }

  async #neverCame(
    row: Requirement,
    talk: Talk,
    begin: number,
    fill: (value: unknown) => unknown,
  ): Promise<string | undefined> {
    const patterns: Pattern[] = row.exchange.flatMap((step) => ('never' in step ? [fill(step.never)] : []))
    if (patterns.length === 0) return undefined
    const id = this.#nextId++
    await talk.send({ jsonrpc: '2.0', id, method: 'ping' })
    const barrier = await talk.next({ id }, begin, this.#stepMs)
    if (typeof barrier === 'string') return `the server did not respond to a ping afterwards: ${barrier}`
    const unwanted = talk.came
      .slice(begin)
      .find((message) => patterns.some((pattern) => mismatch(pattern, message) === undefined))
    return unwanted === undefined ? undefined : `unexpected message: ${JSON.stringify(unwanted)}`
  }
}

const dateOf = (short: string) => findRevision(short)?.date ?? short

function notApplicable(
  row: Requirement,
  transport: WireServer['transport'],
  revision: Revision,
  subject: Subject,
): string | undefined {
  if (row.transports && !row.transports.includes(transport)) return `it does not apply to ${transport}`
  if (row.from && revision.short < row.from) return `it applies from revision ${dateOf(row.from)} on`
  if (row.to && revision.short > row.to) return `it applies up to revision ${dateOf(row.to)}`
  const missing = needsOf(row).filter((need) => subject[need as keyof Subject] === undefined)
  return missing.length > 0 ? `the server has no ${missing.join(', ')}` : undefined
}

/** Replaces `{{…}}` with values: a string that is a single placeholder becomes the value itself. */
function filled(value: unknown, kept: JsonObject): unknown {
  if (typeof value === 'string') {
    const whole = /^\{\{([\w.]+)\}\}$/.exec(value)?.[1]
    if (whole !== undefined) return lookUp(whole, kept) ?? value
    return value.replace(/\{\{([\w.]+)\}\}/g, (all, path: string) => {
      const found = lookUp(path, kept)
      return found === undefined ? all : typeof found === 'string' ? found : JSON.stringify(found)
    })
  }
  if (Array.isArray(value)) return value.map((item) => filled(item, kept))
  if (!isObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => [String(filled(key, kept)), filled(inner, kept)]),
  )
}

const lookUp = (path: string, kept: JsonObject): unknown =>
  path.split('.').reduce<unknown>((at, key) => (isObject(at) ? at[key] : undefined), kept)
