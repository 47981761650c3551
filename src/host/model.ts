import type { JsonObject } from '../protocol/messages.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type { HostFunction } from './functions.js'

/** The conversation so far, as the model sees it. */
export type HostMessage =
  | { role: 'person'; text: string; attached: readonly { label: string; text: string }[] }
  | { role: 'model'; text: string; calls: readonly ModelCall[] }
  | { role: 'tool'; call: string; name: string; text: string; isError: boolean }

/** A call that a model proposes. */
export interface ModelCall {
  id: string
  /** Name of the function. */
  name: string
  arguments: JsonObject
  /** The model's reason, if it gives one. */
  reason?: string
}

/** The model's turn: text and proposed calls. Without calls, it is the user's turn. */
export interface ModelTurn {
  text: string
  calls: readonly ModelCall[]
}

/** The interface of a model for a host. */
export interface HostModel {
  readonly name: string
  turn(
    messages: readonly HostMessage[],
    functions: readonly HostFunction[],
    signal: AbortSignal,
  ): Promise<ModelTurn>
  /** Answers a server's request to the model (sampling). */
  complete(request: ModelRequest, signal: AbortSignal): Promise<ModelReply>
}
