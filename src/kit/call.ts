import type { JsonObject } from '../protocol/messages.js'
import type { ModelAnswer, ModelRequest, SamplingMessage } from '../protocol/sampling.js'
import type { Implementation, LogLevel } from '../protocol/types.js'
import type { Given, Schema } from './schema.js'
import type { Shared } from './shared.js'

/** Sends a log message to the host, where its level allows (Logging). `data` is anything JSON can carry. */
export type CallLog = { readonly [Level in LogLevel]: (message: string, data?: unknown) => void }

/** The session that a call came in on. */
export interface CallSession {
  /** Session id over HTTP; undefined on stdio and in memory. */
  readonly id: string | undefined
  /** Revision in force, such as `2025-11-25`. */
  readonly revision: string
  readonly client: Implementation | undefined
}

/** Who calls, as the access check found out. */
export interface Identity {
  readonly subject: string
  readonly scopes: readonly string[]
}

/** The second argument of an author's function: what it can do while it runs. */
export interface Call {
  /** Aborted when the host cancels or goes away. Pass it on to what takes long. */
  readonly signal: AbortSignal
  /** Values of the kit's settings, by name. */
  readonly settings: Readonly<Record<string, string>>
  readonly log: CallLog
  readonly session: CallSession
  readonly identity: Identity | undefined
  /** `_meta` of the request. */
  readonly meta: JsonObject
  /** Reports how far it is; `done` has to rise. Sent only where the host asked for progress. */
  progress(done: number, total?: number, message?: string): void
  /** The shared thing, opened at first use. */
  use<T>(shared: Shared<T>): Promise<T>
  /**
   * Puts a form to the person at the host and waits for the answer (Elicitation, "Form Mode"). Throws a `JexoError` if the host cannot
   * ask, or where the schema is more than a form can hold.
   */
  askPerson<S extends Schema>(message: string, schema: S): Promise<PersonAnswer<Given<S>>>
  /**
   * Sends the person to a web page, for what must not pass through the host: a login, a payment (Elicitation, "URL Mode", revision
   * 2025-11-25). Answered at once; call `finished` when the step there is done.
   */
  sendPersonTo(url: string | URL, message: string): Promise<PersonSent>
  /** Asks the host's model (Sampling). A string as content is text. Throws a `JexoError` if the host cannot. */
  askModel(request: ModelQuestion): Promise<ModelAnswer>
  /** The folders the host works in (Roots). Throws a `JexoError` if the host has none to tell. */
  roots(): Promise<readonly Root[]>
  /**
   * Does something outside, such as a request, and lets hosts that want to see it know: what, how long, how it ended. The function
   * gets a record to note more in; secrets of settings are masked before it goes out. Returns what the function gives.
   *
   * @example await call.upstream('smtp', `to ${member}`, (record) => send(letter, record))
   */
  upstream<T>(kind: string, label: string, run: (record: UpstreamNotes) => T | Promise<T>): Promise<T>
  /** Tells subscribed hosts that a resource has changed. */
  resourceUpdated(uri: string): void
}

/** What may be noted of something that was done outside. */
export interface UpstreamNotes {
  /** How it ended, such as `200` or `ok`; a failure's message where nothing is noted. */
  status?: string | number
  /** Size of what came back, in bytes. */
  bytes?: number
  /** Anything else worth seeing, that JSON can carry. */
  detail?: JsonObject
}

export type PersonAnswer<T> = { action: 'accept'; content: T } | { action: 'decline' } | { action: 'cancel' }
export interface PersonSent {
  action: 'accept' | 'decline' | 'cancel'
  /** Tells the host that the step on the page is done. */
  finished(): void
}
export interface ModelQuestion extends Omit<ModelRequest, 'messages'> {
  messages: readonly (Omit<SamplingMessage, 'content'> & { content: SamplingMessage['content'] | string })[]
}
export interface Root {
  uri: string
  name?: string
}

/** What a completion function gets: a call, and the other arguments as far as they are filled in. */
export interface CompletionCall extends Call {
  readonly filled: Readonly<Record<string, string>>
}
/** Values for what was typed so far, best first; at most 100 go out. */
export type Completer = (typed: string, call: CompletionCall) => readonly string[] | Promise<readonly string[]>
