import type { Identity } from '../../kit/call.js'
import type { Message } from '../../protocol/messages.js'
import type { Letters } from '../../store/letters.js'
import type { HttpAnswer } from './exchange.js'
import type { HttpSession, SharedOptions } from './session.js'

export type Kept = 'kept' | 'full' | 'too large'

/** The sessions of an endpoint: of this process alone, or of several. */
export interface Sessions {
  /** The sessions in this process. */
  readonly here: Iterable<HttpSession>
  readonly size: number
  /** Why none can be served now; undefined while they can. */
  readonly trouble: string | undefined
  /** Options of new sessions that are shared between processes. */
  readonly shared: SharedOptions | undefined
  /** How processes ask each other; undefined for one alone. */
  readonly letters: { readonly id: string; readonly office: Letters } | undefined
  /** False if there is no room for a further one, as far as this process knows. `others` are sessions of another kind. */
  hasRoom(others: number): boolean
  add(session: HttpSession): void
  /** Its `initialize` was answered. Says why it cannot be kept: there is no room, or too much is to be kept of it. */
  opened(session: HttpSession): Kept | Promise<Kept>
  find(id: string): HttpSession | undefined | Promise<HttpSession | undefined>
  /** Takes a message for a session, wherever it has to go. */
  post(session: HttpSession, message: Message, identity: Identity | undefined): HttpAnswer | Promise<HttpAnswer>
  postBatch(
    session: HttpSession,
    values: readonly unknown[],
    identity: Identity | undefined,
  ): HttpAnswer | Promise<HttpAnswer>
  end(session: HttpSession, why: string): void | Promise<void>
  /** Ends what was idle for too long. */
  sweep(): void
  /** Ends the service of this process. */
  close(): void | Promise<void>
}
