import type { JsonObject } from '../protocol/messages.js'
import type { ModelReply, ModelRequest, SamplingMessage } from '../protocol/sampling.js'
import type { Implementation, LogLevel } from '../protocol/types.js'
import type { CallState } from './call-state.js'
import type { Given, Schema } from './schema.js'
import type { Settings, SettingValues } from './settings.js'
import type { Shared } from './shared.js'

/** Sends a log message to the host, if the host's log level includes it (Logging). `data` is any JSON value. */
export type CallLog = { readonly [Level in LogLevel]: (message: string, data?: unknown) => void }

/** The session of a call. */
export interface CallSession {
  /** Session id over HTTP; undefined on stdio and in memory. */
  readonly id: string | undefined
  /** Revision in force, such as `2025-11-25`. */
  readonly revision: string
  readonly client: Implementation | undefined
}

/** The caller, as established by the access check. */
export interface Identity {
  /** The caller's name at the issuer (subject). */
  readonly subject: string
  /** The issuer; undefined for tokens of a file and for callers that a proxy names. */
  readonly issuer?: string
  /** The client program. */
  readonly clientId?: string
  /** Scopes of the caller; `*` grants all. */
  readonly scopes: readonly string[]
  /** All claims of the token. */
  readonly claims: Readonly<Record<string, unknown>>
  /**
   * Gets a token for another API in the caller's name (RFC 8693). Present if `issuerTokens` was given a `client`.
   * Rejects with a `JexoError`.
   */
  readonly exchange?: (target: { audience: string; scopes?: readonly string[] }) => Promise<string>
}

/** The second argument of a part's function: functions and data for the running call. */
export interface Call<S extends Settings = Settings> {
  /** Aborted when the host cancels or disconnects. Pass it on to long operations. */
  readonly signal: AbortSignal
  /**
   * Values of settings by name. Settings that the part declares have the declared type; other settings of the kit may
   * be undefined.
   */
  readonly settings: SettingValues<S>
  readonly log: CallLog
  readonly session: CallSession
  readonly identity: Identity | undefined
  /** Values that layers have stored for this call, by key. */
  readonly state: CallState
  /** `_meta` of the request. */
  readonly meta: JsonObject
  /** Reports progress; `done` must increase. Sent only if the host asked for progress. */
  progress(done: number, total?: number, message?: string): void
  /** Returns the shared connection; opens it at first use. */
  use<T>(shared: Shared<T>): Promise<T>
  /**
   * Shows a form to the person at the host and waits for the answer (Elicitation, "Form Mode"). Throws a `JexoError` if the host cannot
   * ask, or if the schema does not fit in a form.
   */
  askPerson<S extends Schema>(message: string, schema: S): Promise<PersonAnswer<Given<S>>>
  /**
   * Sends the person to a web page, for a step that must not pass through the host, such as a login or a payment (Elicitation, "URL Mode",
   * revision 2025-11-25). Resolves immediately; call `finished` when the step is done.
   */
  sendPersonTo(url: string | URL, message: string): Promise<PersonSent>
  /** Asks the host's model (Sampling). A string as content is text. Throws a `JexoError` if the host cannot. */
  askModel(request: ModelQuestion): Promise<ModelReply>
  /** The host's folders (Roots). Throws a `JexoError` if the host does not support roots. */
  roots(): Promise<readonly Root[]>
  /**
   * Does external work, such as a request, and sends a record of it to hosts that support upstream records: label, duration, status. The
   * function can add to the record. Secret settings are masked. Returns the function's result.
   *
   * @example await call.upstream('smtp', `to ${member}`, (record) => send(letter, record))
   */
  upstream<T>(kind: string, label: string, run: (record: UpstreamNotes) => T | Promise<T>): Promise<T>
  /**
   * Saves a JSON value. If the process of a durable task ends, the next attempt continues from it (`call.task.checkpoint`). Does nothing in other calls. Rejects
   * with a `JexoError` if the store cannot be reached.
   */
  checkpoint(value: unknown): Promise<void>
  /** The task that this call runs as; undefined if the caller waits for the result. */
  readonly task: CallTask | undefined
  /** Notifies subscribed hosts that a resource has changed. */
  resourceUpdated(uri: string): void
}

export interface CallTask {
  readonly id: string
  /** Lifetime of the task and its result in milliseconds from its creation; `null` for no limit. */
  readonly ttlMs: number | null
  /** Number of the attempt, from 1; higher for a durable task that was restarted. */
  readonly attempt: number
  /** The last checkpoint of earlier attempts; undefined if there is none. */
  readonly checkpoint: unknown
}

/** Details that a function can add to an upstream record. */
export interface UpstreamNotes {
  /** Status, such as `200` or `ok`; default: the message of a failure. */
  status?: string | number
  /** Size of the response, in bytes. */
  bytes?: number
  /** Any other JSON value worth showing. */
  detail?: JsonObject
  /** Headers such as `traceparent`, which continue the trace in the server of an HTTP request; undefined without telemetry. */
  traceHeaders?: Readonly<Record<string, string>>
}

export type PersonAnswer<T> = { action: 'accept'; content: T } | { action: 'decline' } | { action: 'cancel' }
export interface PersonSent {
  action: 'accept' | 'decline' | 'cancel'
  /** Notifies the host that the step on the page is done. */
  finished(): void
}
export interface ModelQuestion extends Omit<ModelRequest, 'messages'> {
  messages: readonly (Omit<SamplingMessage, 'content'> & { content: SamplingMessage['content'] | string })[]
}
export interface Root {
  uri: string
  name?: string
}

/** The second argument of a completion function: a call, and the arguments entered so far. */
export interface CompletionCall<S extends Settings = Settings> extends Call<S> {
  readonly filled: Readonly<Record<string, string>>
}
/** Completions of the typed text, best first; at most 100 are sent. */
export type Completer<S extends Settings = Settings> = (
  typed: string,
  call: CompletionCall<S>,
) => readonly string[] | Promise<readonly string[]>
