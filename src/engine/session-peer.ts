import type { Identity } from '../kit/call.js'
import type { Revision } from '../protocol/revisions.js'
import type { Implementation } from '../protocol/types.js'

/** A session as seen by code outside it: the running kit, recordings, logs. */
export interface SessionPeer {
  readonly sessionId: string | undefined
  readonly identity: Identity | undefined
  /** Revision in force; the newest until `initialize` was answered. */
  readonly revision: Revision
  /** The connected client; undefined until `initialize` was answered. */
  readonly client: Implementation | undefined
  partsChanged(): void
  resourcesChanged(): void
  resourceChanged(uri: string): void
  close(why: string): void
}
