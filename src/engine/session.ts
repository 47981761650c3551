import type { AskOptions } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import type { ClientCapabilities, Implementation, LogLevel, ServerCapabilities } from '../protocol/types.js'
import type { SessionWatch } from '../telemetry/telemetry.js'
import type { PartIndex } from './part-index.js'
import type { RunningKit } from './running-kit.js'
import type { SessionPeer } from './session-peer.js'

/** The state of one session. Features read and change it; the engine makes it and dispatches to them. */
export interface Session extends SessionPeer {
  readonly running: RunningKit
  /** Every message stands alone: no lifecycle, no client capabilities. */
  readonly isStateless: boolean
  /** Declared capabilities of the server. */
  readonly capabilities: ServerCapabilities
  /** The parts as this session sees them now. */
  readonly index: PartIndex
  /** The client has declared that it shows views, and there are some. */
  readonly showsViews: boolean
  /** Parts that it is narrowed to, by name, glob or `tag:…`, separated by commas. */
  readonly only: string | undefined
  phase: 'new' | 'answered' | 'ready'
  revision: Revision
  client: Implementation | undefined
  clientCapabilities: ClientCapabilities
  /** Least severity of log messages that the client wants. */
  logLevel: LogLevel
  subscriptions: Set<string> | undefined
  /** Makes spans and metrics of it; undefined where there are none. */
  readonly watch: SessionWatch | undefined
  /** How messages travel; undefined within one process. */
  readonly network: 'pipe' | 'tcp' | undefined
  /** Sends a request that belongs to none of the client's. */
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
  /** Sends a notification that belongs to no request. */
  notify(method: string, params?: JsonObject): void
  /** The client says that its roots are others now. */
  rootsChanged(): void
  onRootsChanged(listener: () => void): () => void
  /** Aborted when this process has no part in the session any more. */
  readonly ended: AbortSignal
  /** `initialize` was answered. */
  opened(): void
}
