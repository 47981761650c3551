import type { JsonObject } from '../protocol/messages.js'
import type { ModelAnswer, ModelRequest } from '../protocol/sampling.js'
import type { HostFunction } from './functions.js'

/** What has been said so far, as a model gets to see it. */
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
  /** Why, where the model says so. */
  reason?: string
}

/** What a model says in its turn. Without calls, the turn is the person's. */
export interface ModelTurn {
  text: string
  calls: readonly ModelCall[]
}

/** A model as a host needs one. */
export interface HostModel {
  readonly name: string
  turn(
    messages: readonly HostMessage[],
    functions: readonly HostFunction[],
    signal: AbortSignal,
  ): Promise<ModelTurn>
  /** Answers a server that asks for the model (sampling). */
  complete(request: ModelRequest, signal: AbortSignal): Promise<ModelAnswer>
}
