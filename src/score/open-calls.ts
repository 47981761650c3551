import type { Bar } from './line.js'

export interface OpenCall {
  slot: number
  sequence: number
  at: number
  method: string
  /** Method, name or URI, and arguments: equal for repeated calls. */
  subject: string
  token: unknown
  /** The tasks that `tasks/…` requests refer to. */
  taskId?: unknown
}
/** Maximum number of bars and columns. */
const mostBars = 8
const mostSlots = 64

/** The calls without a result yet, and the bars that are drawn for them. */
export class OpenCalls {
  readonly #calls = new Map<string, OpenCall>()
  readonly #taken = new Set<number>()
  bars: readonly Bar[] = []

  get(key: string): OpenCall | undefined {
    return this.#calls.get(key)
  }

  /** The call of a target with a progress token. */
  withToken(target: string, token: unknown): OpenCall | undefined {
    const isIt = ([key, call]: [string, OpenCall]) =>
      call.token !== undefined && call.token === token && key.startsWith(`${target} `)
    return [...this.#calls].find(isIt)?.[1]
  }

  begin(key: string, call: OpenCall): void {
    this.end(key)
    let slot = 0
    while (slot < mostSlots && this.#taken.has(slot)) slot++
    this.#taken.add(slot)
    this.#calls.set(key, { ...call, slot })
    if (slot < mostBars) this.bars = [...this.bars, { sequence: call.sequence, slot }]
  }

  end(key: string): OpenCall | undefined {
    const call = this.#calls.get(key)
    if (!call) return undefined
    this.#calls.delete(key)
    this.#taken.delete(call.slot)
    if (call.slot < mostBars) this.bars = this.bars.filter(({ sequence }) => sequence !== call.sequence)
    return call
  }

  /** Keeps an open call under another key. */
  move(key: string, to: string, call: OpenCall): void {
    this.#calls.delete(key)
    this.#calls.set(to, call)
  }

  /** Ends all calls of a target whose connection was closed; they will not get a result. */
  endAll(target: string): void {
    for (const [key] of this.#calls) if (key.startsWith(`${target} `)) this.end(key)
  }
}
