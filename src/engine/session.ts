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
  /** Every message is independent: no lifecycle, no client capabilities. */
  readonly isStateless: boolean
  /** Declared capabilities of the server. */
  readonly capabilities: ServerCapabilities
  /** The parts as this session sees them now. */
  readonly index: PartIndex
  /** The client declared that it shows views, and the kit has some. */
  readonly showsViews: boolean
  /** Selected parts, by name, glob or `tag:…`, separated by commas. */
  readonly only: string | undefined
  phase: 'new' | 'initializing' | 'ready'
  revision: Revision
  client: Implementation | undefined
  clientCapabilities: ClientCapabilities
  /** Minimum level of log messages that the client wants. */
  logLevel: LogLevel
  subscriptions: Set<string> | undefined
  /** Makes spans and metrics of it; undefined without telemetry. */
  readonly watch: SessionWatch | undefined
  /** How messages travel; undefined within one process. */
  readonly network: 'pipe' | 'tcp' | undefined
  /** Sends a request that belongs to none of the client's. */
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
  /** Sends a notification that belongs to no request. */
  notify(method: string, params?: JsonObject): void
  /** The client reported that its roots changed. */
  rootsChanged(): void
  onRootsChanged(listener: () => void): () => void
  /** Aborted when this process no longer serves the session. */
  readonly ended: AbortSignal
  /** `initialize` was answered. */
  opened(): void
}
