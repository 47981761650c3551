import type { TapeEvent } from '../tape/entry.js'

/** Sessions by the server's session id; each is a target of the tape. */
export class RelaySessions {
  readonly #label: string
  readonly #add: (target: string, event: TapeEvent) => void
  readonly #names = new Map<string, string>()
  /** Paths that the server announced for messages of hosts, in the older transport. */
  readonly posts = new Set<string>()
  #count = 0

  constructor(label: string, add: (target: string, event: TapeEvent) => void) {
    this.#label = label
    this.#add = add
  }

  /** The name of exchanges outside any session: `initialize` opens one, others have none. */
  nameFor(id: string | undefined, isOpening: boolean): string {
    const known = id === undefined ? undefined : this.#names.get(id)
    if (known) return known
    const name = id === undefined && !isOpening ? 's0' : `s${++this.#count}`
    if (id !== undefined) this.#names.set(id, name)
    if (name !== 's0' || !this.#names.has('')) {
      if (name === 's0') this.#names.set('', name)
      const text = name === 's0' ? 'without a session' : `session ${this.#count}`
      this.#add(name, { kind: 'state', state: 'open', text: `${this.#label}, ${text}`, label: this.#label })
    }
    return name
  }

  opened(id: string, name: string): void {
    if (!this.#names.has(id)) this.#names.set(id, name)
  }

  add(name: string, event: TapeEvent): void {
    this.#add(name, event)
  }
}
