/** An entry with a time-out. `Overdue` maintains its fields. */
export interface Waiting {
  overdue(): void
  dueAtMs: number
  before: Waiting | undefined
  after: Waiting | undefined
}

/**
 * One timer for many entries with the same time-out, which expire in the order in which they were added. Entries form a linked list, so that a removed entry can be collected immediately.
 */
export class Overdue {
  readonly #afterMs: number
  #first: Waiting | undefined
  #last: Waiting | undefined
  #isTimed = false

  constructor(afterMs: number) {
    this.#afterMs = afterMs
  }

  add(waiting: Waiting): void {
    waiting.dueAtMs = Date.now() + this.#afterMs
    waiting.before = this.#last
    if (this.#last) this.#last.after = waiting
    else this.#first = waiting
    this.#last = waiting
    if (!this.#isTimed) this.#time(this.#afterMs)
  }

  /** Does nothing if the entry was removed already. */
  remove(waiting: Waiting): void {
    const { before, after } = waiting
    if (before) before.after = after
    else if (this.#first === waiting) this.#first = after
    else return
    if (after) after.before = before
    else this.#last = before
    waiting.before = undefined
    waiting.after = undefined
  }

  #time(ms: number): void {
    this.#isTimed = true
    const timer = setTimeout(() => this.#check(), ms)
    ;(timer as { unref?: () => void }).unref?.()
  }

  #check(): void {
    const now = Date.now()
    this.#isTimed = false
    for (let first = this.#first; first; first = this.#first) {
      if (first.dueAtMs > now) return this.#time(first.dueAtMs - now)
      this.remove(first)
      first.overdue()
    }
  }
}
