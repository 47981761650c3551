import type { Message, OnUnusable, RequestId } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { NetworkPath } from '../telemetry/telemetry.js'

/** Events of a wire for its link. */
export interface WireHandlers {
  receive(message: Message): void
  /** A response came that cannot be used; the request that it belongs to fails. */
  unusable?: OnUnusable
  /** A request waits for a person before it is sent; its time limit does not run. */
  delayed?(id: RequestId, isDelayed: boolean): void
  /** The other side is gone, or the wire was closed. */
  closed(why: string): void
}

/** The cause of a failure where the server may have done what it was asked for, and its answer cannot come any more. */
export class AnswerLost extends Error {}

/** Rejects a send: the server does not know the session any more. The link opens a new one. */
export class SessionGone extends Error {}

/** How a link's messages travel: HTTP, a child process, memory. */
export interface Wire {
  /** For errors and for people: a URL, a command line. */
  readonly label: string
  /** How messages travel, for telemetry. */
  readonly network?: NetworkPath
  /** The session that the server has opened, where it told. */
  readonly sessionId?: string | undefined
  start(handlers: WireHandlers): void | Promise<void>
  /** Sends one message; rejects where it could not be handed over. */
  send(message: Message): void | Promise<void>
  /** `initialize` was answered and `initialized` is sent: the revision in force. */
  opened?(revision: Revision): void
  /** Forgets the session, so that another can be opened on the same wire. */
  forget?(): void
  close(): void | Promise<void>
}
