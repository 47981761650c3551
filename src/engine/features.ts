import type { Incoming } from '../protocol/dialogue.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ServerCapabilities } from '../protocol/types.js'
import { completion } from './completion.js'
import type { Engine } from './engine.js'
import { lifecycle } from './lifecycle.js'
import { logging } from './logging.js'
import type { PartIndex } from './part-index.js'
import { prompts } from './prompts.js'
import { resources } from './resources.js'
import type { RunningKit } from './running-kit.js'
import { tools } from './tools.js'
import { upstreamFeature } from './upstream.js'

/** Answers one request: gives the result or a promise of it, or throws an `RpcError`. */
export type Answer = (engine: Engine, incoming: Incoming) => unknown

/** One feature of the standard, whole, in a file of its own. */
export interface Feature {
  /** What it adds to the server's capabilities. A stateless session declares exactly what the kit has. */
  declare(index: PartIndex, isStateless: boolean, running: RunningKit): ServerCapabilities
  /** False where its methods answer -32601 in this session. */
  isOffered(engine: Engine): boolean
  readonly answers: Readonly<Record<string, Answer>>
  readonly hear?: Readonly<Record<string, (engine: Engine, params: JsonObject) => void>>
}

export const features: readonly Feature[] = [
  lifecycle,
  tools,
  resources,
  prompts,
  completion,
  logging,
  upstreamFeature,
]
