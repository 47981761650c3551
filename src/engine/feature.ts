import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ServerCapabilities } from '../protocol/types.js'
import type { PartIndex } from './part-index.js'
import type { RunningKit } from './running-kit.js'
import type { Session } from './session.js'

/** Responds to one request: returns the result or a promise of it, or throws an `RpcError`. */
export type Respond = (session: Session, incoming: Incoming) => unknown

/** A feature of the standard. Each has a separate file. */
export interface Feature {
  /** The capabilities that it adds to those of the server. A stateless session declares exactly those of the kit. */
  declare(index: PartIndex, isStateless: boolean, running: RunningKit, session: Session): ServerCapabilities
  /** False if its methods return -32601 in this session. */
  isOffered(session: Session): boolean
  readonly requests: Readonly<Record<string, Respond>>
  readonly hear?: Readonly<Record<string, (session: Session, params: JsonObject) => void>>
}
