import type { TakeCount } from '../kit/layer.js'
import type { JsonObject } from '../protocol/messages.js'

/** Keeps what several processes of one server share, so that any of them can answer any request of any session. */
export interface Store {
  /** For people, without credentials: `redis://127.0.0.1:6379/0`. */
  readonly label: string
  /** Loads the client; `hasJobs` if there are durable tasks. Rejects with a `JexoError` if a package is missing. */
  prepare?(hasJobs: boolean): Promise<void>
  /** Takes part in a server, as one of its processes. Connects in the background. */
  join(server: string, handlers: MemberHandlers, id?: string): Member
  /** Closes the connections after all members have left. */
  close(): Promise<void>
}

export interface MemberHandlers {
  /** Takes what others send. */
  hear(mail: JsonObject): void
  /** The store is available, for the first time or after a lost connection. Messages that were sent in the meantime are lost. */
  connected(): void
  /** The store has become unavailable. */
  lost(reason: string): void
  /** Something that the operator should know. */
  warn(text: string): void
}

/**
 * A process of a server with several processes. All values are plain data, since they may be stored in another process. Every promise rejects with a `JexoError`
 * (`store-unavailable`) while the store cannot be used.
 */
export interface Member {
  /** Unique among them, for as long as the process lives: letters and digits. */
  readonly id: string
  /** Why the store cannot be used now; undefined while it can. */
  readonly trouble: string | undefined
  readonly sessions: SessionStore
  readonly streams: StreamStore
  readonly tasks: TaskStore
  /** Work that other processes take up; undefined where it ends with its process. */
  readonly jobs?: JobStore
  /** Messages of all kinds. */
  readonly take: TakeCount
  /** False if there is no such process. */
  tell(member: string, mail: JsonObject): Promise<boolean>
  /** Sends to all others. */
  tellOthers(mail: JsonObject): Promise<void>
  isAlive(member: string): Promise<boolean>
  leave(): Promise<void>
}

export interface RoomFor {
  /** How many sessions there may be. */
  most: number
  /** A session that would expire within this time is ended if others need its place. */
  spareMs: number
}

/** Sessions by id. The state of one is a text; one that begins with `ready ` takes messages that belong to no request. */
export interface SessionStore {
  /** `ended` names a session that had to make room. */
  open(id: string, state: string, ttlMs: number, room: RoomFor): Promise<{ isOpen: boolean; ended?: string }>
  /** Returns the state and extends its lifetime; undefined if the session does not exist. */
  read(id: string, ttlMs: number): Promise<string | undefined>
  /** Puts a state in the place of another, unless that has changed meanwhile. Returns the current version; undefined if the session has ended. */
  exchange(id: string, before: string, after: string, ttlMs: number): Promise<string | undefined>
  /** Keeps sessions for another while. */
  touch(ids: readonly string[], ttlMs: number): Promise<void>
  /** False if there is no such session. */
  end(id: string): Promise<boolean>
  all(): Promise<string[]>
  count(): Promise<number>
  /** Says by which member a session has subscribed. A subscription ends with its session. False if it has too many. */
  subscribe(id: string, uri: string, member: string, ttlMs: number): Promise<boolean>
  unsubscribe(id: string, uri: string): Promise<void>
  /** The subscriptions of a member and of members that have ended, which the member takes over. Without a member, all. */
  subscribers(uri: string, member?: string): Promise<string[]>
  /** To what a session has subscribed. */
  subscriptions(id: string): Promise<string[]>
}

/** A message on an event stream of a session. */
export interface StreamEvent {
  /** Counts from 1 in its stream. */
  sequence: number
  /** JSON, or nothing for an event that only has an id. */
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
  /** Streams of a session that others than their own process read. */
  mostReaders: number
  /** Messages that wait for a standing stream. */
  mostWaiting: number
}

/** Event streams of sessions, bounded in number of events and in characters. Each message is on one stream. */
export interface StreamStore {
  /** Opens a standing stream in this process and sends the events that are queued for it. Undefined if there are too many. */
  stand(
    session: string,
    stream: string,
    isPrimed: boolean,
    limits: StreamLimits,
  ): Promise<StreamEvent[] | undefined>
  /** Stores an event of a stream of this process, and sends it to the process that reads the stream. Returns who that is. Duplicates are not stored. */
  append(session: string, stream: string, event: StreamEvent): Promise<string | undefined>
  /**
   * Puts a message on the newest standing stream that has a reader, or lets it wait for one. False if the session is not ready or does not exist. Numbers of a process
   * rise: what comes a second time is not taken again.
   */
  deliver(session: string, data: string, number: number, limits: StreamLimits): Promise<boolean>
  /** Makes this process the reader of a stream; returns its events after a number. Undefined if the stream is not known (any more). */
  resume(session: string, stream: string, after: number, limits: StreamLimits): Promise<StreamEvent[] | undefined>
  after(session: string, stream: string, after: number): Promise<StreamEvent[]>
  /** Stops reading a stream in this process. */
  leave(session: string, stream: string): Promise<void>
}

/** How many resources a session may subscribe to. */
export const mostSubscriptions = 1000

/** Maximum size of the stored events of a session. */
export const eventLimits = { most: 256, mostCharacters: 4 * 1024 * 1024 }

/** A task as others see it. The record is a text that only its readers understand. */
export interface KeptTask {
  id: string
  record: string
}

export interface TaskStore {
  /** False if there are too many already. */
  create(id: string, record: string, owner: string, ttlMs: number, most: number): Promise<boolean>
  read(id: string): Promise<string | undefined>
  /** Puts a record in the place of another, unless that has changed meanwhile. */
  exchange(id: string, before: string, after: string): Promise<boolean>
  /** Tasks of an owner in the order of their creation. */
  list(owner: string, after: number, most: number): Promise<{ tasks: KeptTask[]; next?: number }>
}

/** Work that survives the process that does it. */
export interface JobStore {
  /** Hands in work for any process. */
  add(id: string, data: JsonObject, options: JobOptions): Promise<void>
  /** Does work, of this process and of others, a few at a time; rejected work is tried again. */
  work(carryOut: (job: Job) => Promise<void>, most: number): void
  /** Has one of the processes do something from time to time. */
  repeat(name: string, everyMs: number, act: () => Promise<void>): void
  /** Removes a job that has not been started. */
  remove(id: string): Promise<void>
  /** Accepts no more jobs, and returns the running ones to the queue. */
  close(): Promise<void>
}

export interface JobOptions {
  /** How often it may be begun. */
  attempts: number
  /** How long before it is tried again after a failure, in milliseconds; doubled each time if it is `growing`. */
  backoffMs: number
  isGrowing: boolean
  /** Lifetime of the checkpoint. */
  ttlMs: number
}

export interface Job {
  readonly id: string
  readonly data: JsonObject
  /** Counts from 1. */
  readonly attempt: number
  /** The last checkpoint of earlier attempts, as JSON. */
  readonly saved: string | undefined
  save(json: string): Promise<void>
}

const leftToOthers = Symbol('left to others')

/** An error that leaves the job to another process and does not count as a failed attempt. */
export const leaveToOthers = (reason: string): Error => Object.assign(new Error(reason), { [leftToOthers]: true })
export const isLeftToOthers = (error: unknown): boolean => error instanceof Error && leftToOthers in error
