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

/** The request that a task carries out. The request was answered immediately; the work uses it until the task ends. */
export class TaskRequest extends Incoming {
  /** Who has started it. The session may serve another token of the same caller by the time the work begins. */
  readonly identity: Identity | undefined
  readonly task: CallTask
  /** Keeps a value for the next attempt; undefined where there will be none. */
  readonly save: ((value: unknown) => Promise<void>) | undefined
  /** The unexpected error that its work has failed by. */
  failure: unknown
  readonly #channel: TaskChannel

  constructor(channel: TaskChannel, request: Request, task: CallTask, { identity, save }: TaskRequestOptions = {}) {
    super(channel, request)
    this.#channel = channel
    this.task = task
    this.identity = identity
    this.save = save
  }

  /** Also the message of the task's status. */
  override progress(report: Progress): void {
    this.#channel.progressed(report)
    super.progress(report)
  }
}
