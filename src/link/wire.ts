import type { Message, OnUnusable, RequestId } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { NetworkPath } from '../telemetry/telemetry.js'

/** Events of a wire for its link. */
export interface WireHandlers {
  receive(message: Message): void
  /** An unusable response arrived; its request fails. */
  unusable?: OnUnusable
  /** A request waits for a person before it is sent; its time limit does not run. */
  delayed?(id: RequestId, isDelayed: boolean): void
  /** The other side has gone, or the wire was closed. */
  closed(why: string): void
}

/** The reason for a failure in which the server may have executed the request, but its response is lost. */
export class ResponseLost extends Error {}

/** Rejects a send because the server does not know the session; the link opens a new one. */
export class SessionGone extends Error {}

/** The transport of a link's messages: HTTP, a child process, or memory. */
export interface Wire {
  /** A name for messages: a URL or a command line. */
  readonly label: string
  /** How messages travel, for telemetry. */
  readonly network?: NetworkPath
  /** The session id, if the server sent one. */
  readonly sessionId?: string | undefined
  start(handlers: WireHandlers): void | Promise<void>
  /** Sends one message; rejects if it could not be handed over. */
  send(message: Message): void | Promise<void>
  /** Called when the session is initialized, with the negotiated revision. */
  opened?(revision: Revision): void
  /** Forgets the session, so that another can be opened on the same wire. */
  forget?(): void
  close(): void | Promise<void>
}
