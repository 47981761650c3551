interface Entry {
  characters: number
  send(): Promise<void>
}

const mostCharacters = 16 * 1024 * 1024
const mostEntries = 10_000

/** Sends one after the other, and keeps what could not be sent until it can: bounded, the oldest goes first. */
export class Outbox {
  #kept: Entry[] = []
  #characters = 0
  #isFlushing = false
  /** How many were given up. */
  lost = 0

  put(characters: number, send: () => Promise<void>): void {
    const entry = { characters, send }
    // What waits goes first.
    if (this.#kept.length > 0) return this.#keep(entry)
    send().catch(() => this.#keep(entry))
  }

  /** Tries again what waits. */
  async flush(): Promise<void> {
    if (this.#isFlushing) return
    this.#isFlushing = true
    try {
      for (let first = this.#kept[0]; first; first = this.#kept[0]) {
        await first.send()
        if (this.#kept[0] === first) this.#drop()
      }
    } catch {
      // It is not back yet.
    } finally {
      this.#isFlushing = false
    }
  }

  #keep(entry: Entry): void {
    this.#kept.push(entry)
    this.#characters += entry.characters
    while (this.#kept.length > mostEntries || (this.#characters > mostCharacters && this.#kept.length > 1)) {
      this.#drop()
      this.lost++
    }
  }

  #drop(): void {
    this.#characters -= this.#kept.shift()?.characters ?? 0
  }
}
