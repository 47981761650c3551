/** Something that is done once it has waited too long, unless it was settled before. */
export interface Waiting {
  isSettled: boolean
}

/**
 * One timer for many that all wait equally long: they come due in the order they came, so that a request costs a push and not a
 * timer of its own.
 */
export class Overdue {
  readonly #afterMs: number
  #queue: { waiting: Waiting; dueAt: number; act: () => void }[] = []
  #compactAt = 1024
  #isTimed = false

  constructor(afterMs: number) {
    this.#afterMs = afterMs
  }

  add(act: () => void): Waiting {
    const waiting: Waiting = { isSettled: false }
    // What is settled at the front is forgotten now and then, so that a busy server holds nothing for long.
    if (this.#queue.length >= this.#compactAt) {
      this.#queue = this.#queue.filter((entry) => !entry.waiting.isSettled)
      this.#compactAt = Math.max(1024, this.#queue.length * 2)
    }
    this.#queue.push({ waiting, dueAt: Date.now() + this.#afterMs, act })
    if (!this.#isTimed) this.#time(this.#afterMs)
    return waiting
  }

  #time(ms: number): void {
    this.#isTimed = true
    const timer = setTimeout(() => this.#check(), ms)
    ;(timer as { unref?: () => void }).unref?.()
  }

  #check(): void {
    const now = Date.now()
    const open = this.#queue.filter((entry) => !entry.waiting.isSettled)
    this.#queue = open.filter((entry) => entry.dueAt > now)
    const [next] = this.#queue
    this.#isTimed = false
    if (next) this.#time(next.dueAt - now)
    for (const entry of open) if (entry.dueAt <= now) entry.act()
  }
}
