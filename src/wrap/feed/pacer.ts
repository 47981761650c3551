/** Runs an action immediately, and then at most once per interval; requests during the interval run once at its end. */
export class Pacer {
  readonly #everyMs: number
  readonly #resting = new Map<string, { timer: NodeJS.Timeout; isAsked: boolean }>()

  constructor(everyMs: number) {
    this.#everyMs = everyMs
  }

  run(key: string, act: () => void): void {
    const resting = this.#resting.get(key)
    if (resting) {
      resting.isAsked = true
      return
    }
    act()
    const timer = setTimeout(() => {
      const { isAsked } = this.#resting.get(key) ?? {}
      this.#resting.delete(key)
      if (isAsked) this.run(key, act)
    }, this.#everyMs)
    timer.unref()
    this.#resting.set(key, { timer, isAsked: false })
  }

  close(): void {
    for (const { timer } of this.#resting.values()) clearTimeout(timer)
    this.#resting.clear()
  }
}
