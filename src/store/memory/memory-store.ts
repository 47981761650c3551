import type { TakeCount } from '../../kit/layer.js'
import type { JsonObject } from '../../protocol/messages.js'
import { newMemberId } from '../member-id.js'
import type { Member, MemberHandlers, Store } from '../store.js'
import { MemorySessions } from './memory-sessions.js'
import { MemoryStreams } from './memory-streams.js'
import { MemoryTasks } from './memory-tasks.js'

/** A store for servers that live in one process, or whose processes reach this one. */
export function memoryStore(): Store {
  const servers = new Map<string, Server>()
  return {
    label: 'memory',
    join: (name, handlers, id = newMemberId()) => {
      const server = servers.get(name) ?? new Server()
      servers.set(name, server)
      return server.join(handlers, id)
    },
    close: async () => servers.clear(),
  }
}

/** State that the members of a server share. */
class Server {
  readonly #members = new Map<string, MemberHandlers>()
  readonly #streams = new MemoryStreams({
    isReady: (session) => this.#sessions.isReady(session),
    isAlive: (member) => this.#members.has(member),
    tell: (member, mail) => this.#tell(member, mail),
  })
  readonly #sessions: MemorySessions = new MemorySessions(
    (id) => this.#streams.drop(id),
    (member) => this.#members.has(member),
  )
  readonly #tasks = new MemoryTasks()
  readonly #take = memoryCounters()

  join(handlers: MemberHandlers, id: string): Member {
    this.#members.set(id, handlers)
    queueMicrotask(() => handlers.connected())
    return {
      id,
      trouble: undefined,
      sessions: this.#sessions,
      streams: this.#streams.of(id),
      tasks: this.#tasks,
      take: this.#take,
      tell: async (member, mail) => this.#tell(member, mail),
      tellOthers: async (mail) => {
        for (const other of this.#members.keys()) if (other !== id) this.#tell(other, mail)
      },
      isAlive: async (member) => this.#members.has(member),
      leave: async () => void this.#members.delete(id),
    }
  }

  #tell(member: string, mail: JsonObject): boolean {
    const handlers = this.#members.get(member)
    // Messages are delivered after the current turn, so that no handler runs while another one sends.
    if (handlers) setImmediate(() => handlers.hear(mail))
    return handlers !== undefined
  }
}

function memoryCounters(): TakeCount {
  const windows = new Map<string, { count: number; endsAt: number }>()
  return async (name, most, perMs) => {
    const now = Date.now()
    if (windows.size > 10_000) for (const [key, { endsAt }] of windows) if (endsAt <= now) windows.delete(key)
    const known = windows.get(name)
    const window = known && known.endsAt > now ? known : { count: 0, endsAt: now + perMs }
    windows.set(name, window)
    window.count++
    return { isAllowed: window.count <= most, resetsInMs: window.endsAt - now }
  }
}
