import type { UpstreamNotes } from '../kit/call.js'
import type { Incoming } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { DialogueWatch } from '../protocol/watch.js'

/** Properties of a session for telemetry: its transport, and the names of its parts. */
export interface WatchedSession {
  readonly sessionId: string | undefined
  /** Protocol revision in force, such as `2025-11-25`. */
  readonly revisionDate: string
  readonly network: NetworkPath
  /** False for a name that the caller made up, which is left out of span names and metrics. */
  knows(method: string, name: string): boolean
  mask(text: string): string
}

export interface NetworkPath {
  /** Undefined if both sides are in one process. */
  readonly transport: 'pipe' | 'tcp' | undefined
  /** Host and port of the server, on the client side. */
  readonly address?: string
  readonly port?: number
}

/** An external operation of a call. */
export interface UpstreamWork<T> {
  readonly kind: string
  readonly label: string
  readonly notes: UpstreamNotes
  run(): T | Promise<T>
}

/** Observes one session: its requests, their external operations, and its lifetime. */
export interface SessionWatch extends DialogueWatch {
  upstream<T>(incoming: Incoming, work: UpstreamWork<T>): Promise<T>
  /** A layer acted on a call. */
  layer(incoming: Incoming, name: string, what: string, detail: JsonObject | undefined): void
  closed(): void
}

/** Identifiers of the active span, for log lines. */
export interface TraceIds {
  trace_id: string
  span_id: string
  trace_flags: string
}

/** Creates spans and metrics of sessions. */
export interface Telemetry {
  server(session: WatchedSession): SessionWatch
  client(session: WatchedSession): SessionWatch
  /** Runs work, such as a command, in a new span. */
  inside<T>(name: string, work: () => Promise<T>): Promise<T>
  activeIds(): TraceIds | undefined
}
