import type { KeptTask, TaskStore } from '../store.js'

interface Kept extends KeptTask {
  owner: string
  sequence: number
  endsAt: number
}

/** Tasks in memory. */
export class MemoryTasks implements TaskStore {
  readonly #tasks = new Map<string, Kept>()
  #sequence = 0

  async create(id: string, record: string, owner: string, ttlMs: number, most: number): Promise<boolean> {
    for (const known of [...this.#tasks.keys()]) this.#find(known)
    if (this.#tasks.size >= most) return false
    this.#tasks.set(id, { id, record, owner, sequence: ++this.#sequence, endsAt: Date.now() + ttlMs })
    return true
  }

  async read(id: string): Promise<string | undefined> {
    return this.#find(id)?.record
  }

  async exchange(id: string, before: string, after: string): Promise<boolean> {
    const kept = this.#find(id)
    if (kept?.record !== before) return false
    kept.record = after
    return true
  }

  async list(owner: string, after: number, most: number): Promise<{ tasks: KeptTask[]; next?: number }> {
    const mine = [...this.#tasks.values()].filter(
      (task) => task.owner === owner && task.sequence > after && this.#find(task.id),
    )
    const page = mine.slice(0, most)
    const last = page.at(-1)
    const tasks = page.map(({ id, record }) => ({ id, record }))
    return { tasks, ...(last && mine.length > page.length ? { next: last.sequence } : {}) }
  }

  #find(id: string): Kept | undefined {
    const kept = this.#tasks.get(id)
    if (!kept || kept.endsAt > Date.now()) return kept
    this.#tasks.delete(id)
    return undefined
  }
}
