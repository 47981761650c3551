import type { Identity } from '../../kit/call.js'
import type { Message } from '../../protocol/messages.js'
import type { Letters } from '../../store/letters.js'
import type { HttpResponse } from './exchange.js'
import type { HttpSession, SharedOptions } from './session.js'

export type Kept = 'kept' | 'full' | 'too large'

/** The sessions of an endpoint, in this process alone or in several. */
export interface Sessions {
  /** The sessions in this process. */
  readonly here: Iterable<HttpSession>
  readonly size: number
  /** Why no session can be served now; undefined otherwise. */
  readonly trouble: string | undefined
  /** Options of new sessions that are shared between processes. */
  readonly shared: SharedOptions | undefined
  /** How processes send requests to each other; undefined for a single process. */
  readonly letters: { readonly id: string; readonly office: Letters } | undefined
  /**
   * True if another session fits, as far as this process knows. `others` are sessions of another kind.
   */
  hasRoom(others: number): boolean
  add(session: HttpSession): void
  /**
   * Called when its `initialize` was answered. Returns why it cannot be stored: there is no room, or its state is too
   * large.
   */
  opened(session: HttpSession): Kept | Promise<Kept>
  find(id: string): HttpSession | undefined | Promise<HttpSession | undefined>
  /** Accepts a message for a session, and passes it on. */
  post(session: HttpSession, message: Message, identity: Identity | undefined): HttpResponse | Promise<HttpResponse>
  postBatch(
    session: HttpSession,
    values: readonly unknown[],
    identity: Identity | undefined,
  ): HttpResponse | Promise<HttpResponse>
  end(session: HttpSession, why: string): void | Promise<void>
  /** Ends sessions that were idle for too long. */
  sweep(): void
  /** Ends this process's part in the sessions. */
  close(): void | Promise<void>
}
