import type { AskOptions } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { ClientCapabilities, LogLevel } from '../protocol/types.js'
import type { Call } from './call.js'

/** What a wrap of another server needs of a call: the session as the protocol has it, so that messages pass both ways. */
export interface Passage {
  /** The same object for every call of a session. */
  readonly session: PassageSession
  /** Parameters of the request, as they came. */
  readonly params: JsonObject
  /** Asks the client within this request. */
  ask(method: string, params: JsonObject, options?: AskOptions): Promise<JsonObject>
  /** Sends a notification within this request. */
  notify(method: string, params: JsonObject): void
}

export interface PassageSession {
  /** Every message stands alone: there is nobody to ask. */
  readonly isStateless: boolean
  readonly revision: Revision
  readonly clientCapabilities: ClientCapabilities
  /** Least severity of log messages that the client wants. */
  readonly logLevel: LogLevel
  /** Aborted when the session ends. */
  readonly ended: AbortSignal
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
  notify(method: string, params?: JsonObject): void
  /** Calls the listener whenever the client says that its roots changed; returns a function that ends that. */
  onRootsChanged(listener: () => void): () => void
  /** Tells the client that a resource has changed, if it has subscribed to it. */
  resourceChanged(uri: string): void
}

/** Where a call keeps its passage. */
export const passageSlot: unique symbol = Symbol.for('jexo.passage')

/** The passage of a call; undefined for one that somebody has made by hand, as in a test. */
export const passageOf = (call: Call): Passage | undefined =>
  (call as { readonly [passageSlot]?: Passage })[passageSlot]
