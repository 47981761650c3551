import { mostSubscriptions, type RoomFor, type SessionStore } from '../store.js'

interface Kept {
  state: string
  endsAt: number
}

/** Sessions in memory. */
export class MemorySessions implements SessionStore {
  readonly #sessions = new Map<string, Kept>()
  /** Session → member that it has subscribed by, for each URI. */
  readonly #subscribers = new Map<string, Map<string, string>>()
  readonly #gone: (id: string) => void
  readonly #isAlive: (member: string) => boolean

  constructor(gone: (id: string) => void, isAlive: (member: string) => boolean) {
    this.#gone = gone
    this.#isAlive = isAlive
  }

  isReady(id: string): boolean {
    return this.#find(id)?.state.startsWith('ready ') === true
  }

  async open(id: string, state: string, ttlMs: number, { most, spareMs }: RoomFor) {
    this.#endOverdue()
    let ended: string | undefined
    if (this.#sessions.size >= most) {
      const [oldest] = [...this.#sessions].sort(([, a], [, b]) => a.endsAt - b.endsAt)
      if (!oldest || oldest[1].endsAt > Date.now() + spareMs) return { isOpen: false }
      ended = oldest[0]
      this.#drop(ended)
    }
    this.#sessions.set(id, { state, endsAt: Date.now() + ttlMs })
    return { isOpen: true, ...(ended === undefined ? {} : { ended }) }
  }

  async read(id: string, ttlMs: number): Promise<string | undefined> {
    const kept = this.#find(id)
    if (kept?.state.startsWith('ready ')) kept.endsAt = Date.now() + ttlMs
    return kept?.state
  }

  async exchange(id: string, before: string, after: string, ttlMs: number): Promise<string | undefined> {
    const kept = this.#find(id)
    if (kept?.state !== before) return kept?.state
    Object.assign(kept, { state: after, endsAt: Date.now() + ttlMs })
    return after
  }

  async extend(ids: readonly string[], ttlMs: number): Promise<void> {
    for (const id of ids) await this.read(id, ttlMs)
  }

  async end(id: string): Promise<boolean> {
    const isKnown = this.#find(id) !== undefined
    this.#drop(id)
    return isKnown
  }

  async all(): Promise<string[]> {
    this.#endOverdue()
    return [...this.#sessions.keys()]
  }

  async count(): Promise<number> {
    return (await this.all()).length
  }

  async subscribe(id: string, uri: string, member: string): Promise<boolean> {
    const own = await this.subscriptions(id)
    if (own.length >= mostSubscriptions && !own.includes(uri)) return false
    const subscribers = this.#subscribers.get(uri) ?? new Map()
    this.#subscribers.set(uri, subscribers.set(id, member))
    return true
  }

  async unsubscribe(id: string, uri: string): Promise<void> {
    this.#subscribers.get(uri)?.delete(id)
  }

  async subscribers(uri: string, member?: string): Promise<string[]> {
    const subscribers = this.#subscribers.get(uri) ?? new Map<string, string>()
    const alive = [...subscribers].filter(([id]) => this.#find(id))
    const mine = alive.filter(([, by]) => member === undefined || by === member || !this.#isAlive(by))
    if (member !== undefined) for (const [id] of mine) subscribers.set(id, member)
    return mine.map(([id]) => id)
  }

  async subscriptions(id: string): Promise<string[]> {
    return [...this.#subscribers].filter(([, sessions]) => sessions.has(id)).map(([uri]) => uri)
  }

  #find(id: string): Kept | undefined {
    const kept = this.#sessions.get(id)
    if (!kept || kept.endsAt > Date.now()) return kept
    this.#drop(id)
    return undefined
  }

  #endOverdue(): void {
    for (const id of [...this.#sessions.keys()]) this.#find(id)
  }

  #drop(id: string): void {
    if (!this.#sessions.delete(id)) return
    for (const [uri, subscribers] of this.#subscribers) {
      subscribers.delete(id)
      if (subscribers.size === 0) this.#subscribers.delete(uri)
    }
    this.#gone(id)
  }
}
