import type { CallTask, Identity } from '../kit/call.js'
import { type AskOptions, Incoming, type Progress, type Surrounding } from '../protocol/incoming.js'
import type { JsonObject, Request } from '../protocol/messages.js'

/** Handlers for the messages of a task's work. */
export interface TaskChannel extends Surrounding {
  progressed(progress: Progress): void
  notify(method: string, params: JsonObject): void
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
}

export interface TaskRequestOptions {
  identity?: Identity | undefined
  save?: ((value: unknown) => Promise<void>) | undefined
}

/** The request that a task executes. It was answered immediately; the work uses it until the task ends. */
export class TaskRequest extends Incoming {
  /** The caller who started it. By the time the work begins, the session may use another token of the same caller. */
  readonly identity: Identity | undefined
  readonly task: CallTask
  /** Stores a value for the next attempt; undefined if there will be none. */
  readonly save: ((value: unknown) => Promise<void>) | undefined
  /** The unexpected error with which its work failed. */
  failure: unknown
  readonly #channel: TaskChannel

  constructor(channel: TaskChannel, request: Request, task: CallTask, { identity, save }: TaskRequestOptions = {}) {
    super(channel, request)
    this.#channel = channel
    this.task = task
    this.identity = identity
    this.save = save
  }

  /** Also used as the message of the task's status. */
  override progress(report: Progress): void {
    this.#channel.progressed(report)
    super.progress(report)
  }
}
