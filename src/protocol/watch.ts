import type { Incoming } from './incoming.js'
import type { JsonObject, RequestId } from './messages.js'

/** Outcome of a request: a result, an error, or cancellation. */
export type RequestEnd =
  | { readonly kind: 'result'; readonly result: JsonObject }
  | { readonly kind: 'error'; readonly error: unknown }
  | { readonly kind: 'cancelled' }

/** A request to the peer, for a watcher. */
export interface WatchedAsk {
  /** Fields for the request's `_meta`. */
  readonly meta: JsonObject
  ended(end: RequestEnd): void
}

/** Watches the requests of one dialogue in both directions, for traces and metrics. Never throws. */
export interface DialogueWatch {
  /** A request of the peer arrived. `work` answers it, and must be called immediately. */
  arrived(incoming: Incoming, work: () => void): void
  /** The request was answered or cancelled; called before the response is sent. */
  responded(incoming: Incoming, end: RequestEnd): void
  /** A request is about to be sent to the peer; `related` is the peer's request that it belongs to. */
  asking(id: RequestId, method: string, params: JsonObject | undefined, related: RequestId | undefined): WatchedAsk
}
