import type { AskOptions } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { ClientCapabilities, LogLevel } from '../protocol/types.js'
import type { Call } from './call.js'

/** Gives a wrapped server access to the session of a call, so that messages pass in both directions. */
export interface Passage {
  /** The same object for every call of a session. */
  readonly session: PassageSession
  /** Parameters of the request, unchanged. */
  readonly params: JsonObject
  /** Sends a request to the client within this request. */
  ask(method: string, params: JsonObject, options?: AskOptions): Promise<JsonObject>
  /** Sends a notification within this request. */
  notify(method: string, params: JsonObject): void
}

export interface PassageSession {
  /** True if there is no session: the client cannot be asked. */
  readonly isStateless: boolean
  readonly revision: Revision
  readonly clientCapabilities: ClientCapabilities
  /** Minimum level of log messages that the client wants. */
  readonly logLevel: LogLevel
  /** Aborted when the session ends. */
  readonly ended: AbortSignal
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
  notify(method: string, params?: JsonObject): void
  /** Calls the listener whenever the client reports changed roots; returns a function that ends that. */
  onRootsChanged(listener: () => void): () => void
  /** Notifies the client of a changed resource, if it has subscribed. */
  resourceChanged(uri: string): void
}

/** Symbol of the property with the passage of a call. */
export const passageSlot: unique symbol = Symbol.for('jexo.passage')

/** The passage of a call; undefined for calls created by other code, as in tests. */
export const passageOf = (call: Call): Passage | undefined =>
  (call as { readonly [passageSlot]?: Passage })[passageSlot]
