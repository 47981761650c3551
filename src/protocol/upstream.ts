import type { JsonObject } from './messages.js'

/** Our extension that shows what a server did outside: declared by both sides under `experimental`, sent while a call is under way. */
export const upstreamCapability = 'jexo/upstream'
export const upstreamMethod = 'notifications/jexo/upstream'

/** One thing that was done outside for a request: an HTTP request, a statement, a file read. */
export interface UpstreamRecord {
  /** The request of the client that it was done for. */
  requestId: string | number
  /** Counts from 1 within that request, in the order in which they began. */
  sequence: number
  /** `http`, `sql`, `file` or a word of the author's. */
  kind: string
  label: string
  /** ISO 8601. */
  startedAt: string
  durationMs: number
  status?: string | number
  bytes?: number
  detail?: JsonObject
}
