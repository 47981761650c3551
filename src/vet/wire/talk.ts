import type { JsonObject } from '../../protocol/messages.js'
import { mismatch, type Pattern } from './pattern.js'
import type { HttpExpectation, HttpStep, WireTransport } from './requirement.js'

/** Raw messages to and from a server, without checks, matching or corrections. */
export abstract class Talk {
  /** All received messages in order; invalid JSON as text. */
  readonly came: unknown[] = []
  #wake: (() => void)[] = []
  #end: string | undefined

  abstract send(value: unknown): void | Promise<void>
  abstract sendText(text: string): void | Promise<void>
  abstract close(): Promise<void>

  /** The session is initialized. */
  opened(_revision: string): void {}
  /** Sends one HTTP request, and returns what is wrong with the response. */
  request(
    _step: HttpStep,
    _expected: HttpExpectation,
    _fill: (value: unknown) => unknown,
  ): Promise<string | undefined> {
    return Promise.resolve('this transport has no HTTP requests')
  }

  /** The first matching message from a position on, received already or later; an error text if there is none. */
  async next(
    pattern: Pattern,
    from: number,
    withinMs: number,
    taken: ReadonlySet<number> = new Set(),
  ): Promise<{ message: JsonObject; at: number } | string> {
    const endsAt = Date.now() + withinMs
    for (let at = from; ; ) {
      for (; at < this.came.length; at++) {
        if (taken.has(at)) continue
        const message = this.came[at]
        const why = mismatch(pattern, message)
        if (why === undefined) return { message: message as JsonObject, at }
        // The response to this request was already received.
        if (isResponseFor(pattern, message)) return why
      }
      if (this.#end !== undefined) return `the server ended the session: ${this.#end}`
      const leftMs = endsAt - Date.now()
      if (leftMs <= 0) return `no message matched ${JSON.stringify(pattern)} within ${withinMs} ms`
      await this.#more(leftMs)
    }
  }

  protected receive(value: unknown): void {
    // A batch is examined as one message, since it arrived as one.
    this.came.push(value)
    this.#rouse()
  }

  protected ended(why: string): void {
    this.#end ??= why
    this.#rouse()
  }

  #rouse(): void {
    for (const wake of this.#wake.splice(0)) wake()
  }

  #more(withinMs: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(resolve, withinMs)
      this.#wake.push(() => {
        clearTimeout(timer)
        resolve()
      })
    })
  }
}

/** A server under test: each `open` begins a new session. */
export interface WireServer {
  readonly transport: WireTransport
  open(): Promise<Talk>
}

function isResponseFor(pattern: Pattern, message: unknown): boolean {
  const wanted = pattern as JsonObject
  const given = message as JsonObject | null
  if (typeof given !== 'object' || given === null || wanted.id === undefined) return false
  return given.id === wanted.id && !('method' in wanted) && !('method' in given)
}
