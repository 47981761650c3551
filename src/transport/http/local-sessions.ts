import type { Identity } from '../../kit/call.js'
import type { Message } from '../../protocol/messages.js'
import type { HttpLimits } from './limits.js'
import type { HttpSession } from './session.js'
import type { Kept, Sessions } from './sessions.js'

/** If the maximum number of sessions is reached, a session that was idle for this long can be ended. */
export const evictAfterMs = 60_000

/** Sessions that live in this process only. */
export class LocalSessions implements Sessions {
  readonly trouble = undefined
  readonly shared = undefined
  readonly letters = undefined
  readonly #limits: HttpLimits
  readonly #sessions = new Map<string, HttpSession>()

  constructor(limits: HttpLimits) {
    this.#limits = limits
  }

  get here(): Iterable<HttpSession> {
    return this.#sessions.values()
  }
  get size(): number {
    return this.#sessions.size
  }

  hasRoom(others: number): boolean {
    const { maxSessions } = this.#limits
    if (this.size + others >= maxSessions) this.#makeRoom(maxSessions - others)
    return this.size + others < maxSessions
  }

  add(session: HttpSession): void {
    this.#sessions.set(session.id, session)
  }

  opened(): Kept {
    return 'kept'
  }

  find(id: string): HttpSession | undefined {
    return this.#sessions.get(id)
  }

  post(session: HttpSession, message: Message, identity: Identity | undefined) {
    return session.post(message, identity)
  }

  postBatch(session: HttpSession, values: readonly unknown[], identity: Identity | undefined) {
    return session.postBatch(values, identity)
  }

  end(session: HttpSession, why: string): void {
    this.#sessions.delete(session.id)
    session.close(why)
  }

  sweep(): void {
    const now = Date.now()
    for (const session of this.#sessions.values()) {
      if (session.engine.phase !== 'ready' && session.openedAt < now - this.#limits.handshakeMs)
        this.end(session, 'it was never initialized')
      else if (session.isIdleSince(now - this.#limits.idleMs)) this.end(session, 'it was idle')
    }
  }

  close(): void {
    for (const session of this.#sessions.values()) session.close('the server is stopping')
    this.#sessions.clear()
  }

  /** Ends the least valuable session: the oldest that is not initialized, else the one that has been idle longest. */
  #makeRoom(most: number): void {
    this.sweep()
    if (this.size < most) return
    // In the order in which they were opened.
    const all = [...this.#sessions.values()]
    const unfinished = all.find(({ engine }) => engine.phase !== 'ready')
    if (unfinished) return this.end(unfinished, 'others needed its place before it was initialized')
    const since = Date.now() - Math.min(evictAfterMs, this.#limits.idleMs)
    const idle = all.filter((session) => session.isIdleSince(since))
    const [oldest] = idle.sort((a, b) => a.lastSeenAt - b.lastSeenAt)
    if (oldest) this.end(oldest, 'it was idle, and others needed its place')
  }
}
