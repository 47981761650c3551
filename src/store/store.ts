import type { TakeCount } from '../kit/layer.js'
import type { JsonObject } from '../protocol/messages.js'

/**
 * Stores the data that the processes of one server share, so that any of them can answer any request of any session.
 */
export interface Store {
  /** A label without credentials: `redis://127.0.0.1:6379/0`. */
  readonly label: string
  /** Loads the client; `hasJobs` if there are durable tasks. Rejects with a `JexoError` if a package is missing. */
  prepare?(hasJobs: boolean): Promise<void>
  /** Joins a server as one of its processes. Connects in the background. */
  join(server: string, handlers: MemberHandlers, id?: string): Member
  /** Closes the connections after all members have left. */
  close(): Promise<void>
}

export interface MemberHandlers {
  /** Receives messages of other processes. */
  hear(mail: JsonObject): void
  /** The store is available, for the first time or after a lost connection. Messages that were sent in the meantime are lost. */
  connected(): void
  /** The store has become unavailable. */
  lost(reason: string): void
  /** A message for the operator. */
  warn(text: string): void
}

/**
 * A process of a server with several processes. All values are plain data, since they may be stored elsewhere. Every
 * promise rejects with a `JexoError` (`store-unavailable`) while the store is unavailable.
 */
export interface Member {
  /** Unique among the processes as long as it runs: letters and digits. */
  readonly id: string
  /** Why the store is unavailable; undefined while it is available. */
  readonly trouble: string | undefined
  readonly sessions: SessionStore
  readonly streams: StreamStore
  readonly tasks: TaskStore
  /** Jobs that other processes can continue; undefined if jobs end with their process. */
  readonly jobs?: JobStore
  /** Messages of all kinds. */
  readonly take: TakeCount
  /** False if there is no such process. */
  tell(member: string, mail: JsonObject): Promise<boolean>
  /** Sends to all other processes. */
  tellOthers(mail: JsonObject): Promise<void>
  isAlive(member: string): Promise<boolean>
  leave(): Promise<void>
}

export interface RoomFor {
  /** Maximum number of sessions. */
  most: number
  /** A session that would expire within this time is ended if others need its place. */
  spareMs: number
}

/**
 * Sessions by id. A state is a text; if it begins with `ready `, the session accepts messages that belong to no
 * request.
 */
export interface SessionStore {
  /** `ended` names a session that was ended to make room. */
  open(id: string, state: string, ttlMs: number, room: RoomFor): Promise<{ isOpen: boolean; ended?: string }>
  /** Returns the state and extends its lifetime; undefined if the session does not exist. */
  read(id: string, ttlMs: number): Promise<string | undefined>
  /**
   * Replaces a state, unless it has changed in the meantime. Returns the current state; undefined if the session has
   * ended.
   */
  exchange(id: string, before: string, after: string, ttlMs: number): Promise<string | undefined>
  /** Extends the lifetime of sessions. */
  extend(ids: readonly string[], ttlMs: number): Promise<void>
  /** False if there is no such session. */
  end(id: string): Promise<boolean>
  all(): Promise<string[]>
  count(): Promise<number>
  /**
   * Records the member at which a session has subscribed. A subscription ends with its session. False if there are too
   * many.
   */
  subscribe(id: string, uri: string, member: string, ttlMs: number): Promise<boolean>
  unsubscribe(id: string, uri: string): Promise<void>
  /** The subscriptions of a member and of members that have ended, which it takes over. Without a member, all. */
  subscribers(uri: string, member?: string): Promise<string[]>
  /** The URIs that a session has subscribed to. */
  subscriptions(id: string): Promise<string[]>
}

/** A message on an event stream of a session. */
export interface StreamEvent {
  /** Numbered from 1 within its stream. */
  sequence: number
  /** JSON; empty for an event that only has an id. */
  data: string
  /** Marks the end of the stream. */
  isLast?: boolean
}

/** Messages about a stream for the process that reads it; a `Mail` of this form. */
export interface StreamMail extends StreamEvent {
  kind: 'event'
  session: string
  stream: string
}

export interface StreamLimits {
  /** Streams of a session that other processes read. */
  mostReaders: number
  /** Messages that wait for a standing stream. */
  mostWaiting: number
}

/** Event streams of sessions, limited by the number of events and of characters. Each message is on one stream. */
export interface StreamStore {
  /** Opens a standing stream in this process and sends the events that are queued for it. Undefined if there are too many. */
  stand(
    session: string,
    stream: string,
    isPrimed: boolean,
    limits: StreamLimits,
  ): Promise<StreamEvent[] | undefined>
  /**
   * Stores an event of a stream of this process, and sends it to the process that reads the stream. Returns that
   * process. Duplicates are not stored.
   */
  append(session: string, stream: string, event: StreamEvent): Promise<string | undefined>
  /**
   * Puts a message on the newest standing stream with a reader, or queues it. False if the session is not ready or does
   * not exist. Numbers of a process increase, so duplicates are ignored.
   */
  deliver(session: string, data: string, number: number, limits: StreamLimits): Promise<boolean>
  /**
   * Makes this process the reader of a stream; returns its events after a number. Undefined if the stream is unknown.
   */
  resume(session: string, stream: string, after: number, limits: StreamLimits): Promise<StreamEvent[] | undefined>
  after(session: string, stream: string, after: number): Promise<StreamEvent[]>
  /** Stops reading a stream in this process. */
  leave(session: string, stream: string): Promise<void>
}

/** Maximum number of subscriptions of a session. */
export const mostSubscriptions = 1000

/** Maximum size of the stored events of a session. */
export const eventLimits = { most: 256, mostCharacters: 4 * 1024 * 1024 }

/** A task as other processes see it. The record is a text that only its readers interpret. */
export interface KeptTask {
  id: string
  record: string
}

export interface TaskStore {
  /** False if there are too many. */
  create(id: string, record: string, owner: string, ttlMs: number, most: number): Promise<boolean>
  read(id: string): Promise<string | undefined>
  /** Replaces a record, unless it has changed in the meantime. */
  exchange(id: string, before: string, after: string): Promise<boolean>
  /** Tasks of an owner, in order of their creation. */
  list(owner: string, after: number, most: number): Promise<{ tasks: KeptTask[]; next?: number }>
}

/** Jobs that continue when the process that runs them ends. */
export interface JobStore {
  /** Adds a job that any process may run. */
  add(id: string, data: JsonObject, options: JobOptions): Promise<void>
  /** Runs jobs, of this process and of others, a few at a time; a rejected job is tried again. */
  work(carryOut: (job: Job) => Promise<void>, most: number): void
  /** Has one of the processes run a function at an interval. */
  repeat(name: string, everyMs: number, act: () => Promise<void>): void
  /** Removes a job that has not been started. */
  remove(id: string): Promise<void>
  /** Accepts no more jobs, and returns the running ones to the queue. */
  close(): Promise<void>
}

export interface JobOptions {
  /** Maximum number of attempts. */
  attempts: number
  /** Delay before the next attempt after a failure, in milliseconds; doubled each time if it is `growing`. */
  backoffMs: number
  isGrowing: boolean
  /** Lifetime of the checkpoint. */
  ttlMs: number
}

export interface Job {
  readonly id: string
  readonly data: JsonObject
  /** Numbered from 1. */
  readonly attempt: number
  /** The last checkpoint of earlier attempts, as JSON. */
  readonly saved: string | undefined
  save(json: string): Promise<void>
}

const leftToOthers = Symbol('left to others')

/** An error that leaves the job to another process and does not count as a failed attempt. */
export const leaveToOthers = (reason: string): Error => Object.assign(new Error(reason), { [leftToOthers]: true })
export const isLeftToOthers = (error: unknown): boolean => error instanceof Error && leftToOthers in error
