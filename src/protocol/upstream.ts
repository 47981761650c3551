import type { JsonObject } from './messages.js'

/**
 * Our extension that shows what a server did during a call: declared by both sides under `experimental`, and sent
 * during the call.
 */
export const upstreamCapability = 'jexo/upstream'
export const upstreamMethod = 'notifications/jexo/upstream'

/** One external operation of a request: an HTTP request, a statement, a file read. */
export interface UpstreamRecord {
  /** The client's request that caused it. */
  requestId: string | number
  /** Numbered from 1 within that request, in the order in which operations began. */
  sequence: number
  /** `http`, `sql`, `file`, or a word that the author chose. */
  kind: string
  label: string
  /** ISO 8601. */
  startedAt: string
  durationMs: number
  status?: string | number
  bytes?: number
  detail?: JsonObject
}
