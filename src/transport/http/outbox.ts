interface Entry {
  characters: number
  send(): Promise<void>
}

const mostCharacters = 16 * 1024 * 1024
const mostEntries = 10_000

/** Sends messages in order, and queues those that could not be sent; limited, the oldest are dropped first. */
export class Outbox {
  #kept: Entry[] = []
  #characters = 0
  #isFlushing = false
  /** Number of dropped messages. */
  lost = 0

  put(characters: number, send: () => Promise<void>): void {
    const entry = { characters, send }
    // Queued messages are sent first.
    if (this.#kept.length > 0) return this.#keep(entry)
    send().catch(() => this.#keep(entry))
  }

  /** Retries the queued messages. */
  async flush(): Promise<void> {
    if (this.#isFlushing) return
    this.#isFlushing = true
    try {
      for (let first = this.#kept[0]; first; first = this.#kept[0]) {
        await first.send()
        if (this.#kept[0] === first) this.#drop()
      }
    } catch {
      // The store is still unavailable.
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
