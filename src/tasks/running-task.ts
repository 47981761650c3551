import type { AskOptions, Incoming, Progress } from '../protocol/incoming.js'
import type { JsonObject, Request, RpcFault } from '../protocol/messages.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import { isTerminal, metaOfTask, type Task, type TaskStatus, unknownTask } from './task.js'
import { type TaskChannel, TaskRequest, type TaskRequestOptions } from './task-request.js'

/** The session in which a task was created. The task continues without it. */
export interface TaskPeer {
  /** Sends a notification that belongs to no request; does nothing once the session is closed. */
  notify(method: string, params: JsonObject): void
  /** Sends a request to the client. Undefined if only a pending `tasks/result` has a stream for it. */
  ask?: ((method: string, params: JsonObject, options: AskOptions) => Promise<JsonObject>) | undefined
}

/** The requests that wait for the result; questions of the task are sent to them. */
export interface TaskWaiter {
  readonly isOver: boolean
  notify(method: string, params: JsonObject): void
  ask(method: string, params: JsonObject, options: AskOptions): Promise<JsonObject>
}

export type TaskWork = (request: TaskRequest) => unknown

/** Interval of unsolicited status notifications, in milliseconds. */
const messageEveryMs = 1000
const mostCharacters = 500

export interface AttemptOptions extends TaskRequestOptions {
  attempt?: number
  checkpoint?: unknown
}

/** One task, while it runs and while its result is kept. */
export class RunningTask implements TaskChannel {
  readonly owner: string | undefined
  readonly sequence: number
  readonly request: TaskRequest
  /** Settles when the status is terminal: with the result of the request, or its error. */
  readonly ended: Promise<JsonObject>
  #task: Task
  readonly #peer: TaskPeer
  #settle: { resolve(result: JsonObject): void; reject(error: unknown): void } = {
    resolve: () => {},
    reject: () => {},
  }
  /** Pending requests for the result; requests of the task are sent on their streams. */
  readonly #waiting = new Set<TaskWaiter>()
  readonly #wakes = new Set<() => void>()
  /** Called after each change. */
  onChange: (() => void) | undefined
  /** Outcome of the task. */
  outcome: { result?: JsonObject; fault?: RpcFault } = {}
  /** Size of the result in characters. */
  size = 0
  #questions = 0
  #saidAt = 0

  constructor(
    task: Task,
    request: Request,
    owner: string | undefined,
    sequence: number,
    peer: TaskPeer,
    { attempt = 1, checkpoint, ...options }: AttemptOptions = {},
  ) {
    this.#task = task
    this.owner = owner
    this.sequence = sequence
    this.#peer = peer
    const { taskId: id, ttl: ttlMs } = task
    this.request = new TaskRequest(this, request, { id, ttlMs, attempt, checkpoint }, options)
    this.ended = new Promise((resolve, reject) => {
      this.#settle = { resolve, reject }
    })
    // The result may never be fetched.
    this.ended.catch(() => {})
  }

  get task(): Task {
    return { ...this.#task }
  }
  get isOver(): boolean {
    return isTerminal(this.#task.status)
  }

  /** Runs the work and stores its outcome. */
  async carryOut(work: TaskWork, broke: (error: unknown) => void): Promise<void> {
    try {
      const result = (await work(this.request)) as JsonObject
      const isFailed = result.isError === true
      this.size = JSON.stringify(result).length
      this.outcome = { result }
      this.#end(isFailed ? 'failed' : 'completed', isFailed ? textIn(result) : undefined)
      this.#settle.resolve(result)
    } catch (error) {
      if (this.isOver) return
      if (!(error instanceof RpcError)) broke(error)
      const known = error instanceof RpcError ? error : new RpcError(codes.internal, 'Internal error')
      this.outcome = { fault: known.toFault() }
      this.#end('failed', known.message)
      this.#settle.reject(known)
    }
  }

  cancel(): void {
    const error = new RpcError(codes.internal, 'The task was cancelled')
    this.outcome = { fault: error.toFault() }
    this.#end('cancelled')
    this.request.end(new DOMException('the task was cancelled', 'AbortError'))
    this.#settle.reject(error)
  }

  /** Ends the task because this process cannot continue it. */
  fail(message: string): void {
    const error = new RpcError(codes.internal, message)
    this.outcome = { fault: error.toFault() }
    this.#end('failed', message)
    this.request.end(new DOMException(message, 'AbortError'))
    this.#settle.reject(error)
  }

  /** Sets the status message; messages of the work can replace it. */
  say(message: string): void {
    this.#change({ statusMessage: message.slice(0, mostCharacters) })
    this.#say()
  }

  /** Its lifetime is over: drops it and ends its work. */
  expire(): void {
    this.request.end(new DOMException('the task has expired', 'AbortError'))
    this.#settle.reject(unknownTask(this.#task.taskId))
  }

  /** Also sends requests to these sessions, until the returned function is called. */
  waitFrom(waiter: TaskWaiter): () => void {
    this.#waiting.add(waiter)
    for (const wake of this.#wakes) wake()
    return () => void this.#waiting.delete(waiter)
  }

  /** Waits for the end on behalf of a request, whose stream carries requests of the task in the meantime. */
  async resultFor(waiting: Incoming): Promise<JsonObject> {
    if (!this.isOver) this.#waiting.add(waiting)
    for (const wake of this.#wakes) wake()
    const { signal } = waiting
    let stop = () => {}
    const givenUp = new Promise<never>((_, reject) => {
      stop = () => reject(signal.reason)
      signal.addEventListener('abort', stop, { once: true })
    })
    givenUp.catch(() => {})
    try {
      const result = await Promise.race([this.ended, givenUp])
      return { ...result, _meta: metaOfTask(result._meta, this.#task.taskId) }
    } finally {
      signal.removeEventListener('abort', stop)
      this.#waiting.delete(waiting)
    }
  }

  progressed({ progress, total, message }: Progress): void {
    const share = total === undefined ? String(progress) : `${progress} of ${total}`
    this.#change({ statusMessage: (message ?? share).slice(0, mostCharacters) })
    if (Date.now() - this.#saidAt >= messageEveryMs) this.#say()
  }

  notify(method: string, params: JsonObject): void {
    const related = { ...params, _meta: metaOfTask(params._meta, this.#task.taskId) }
    const [waiting] = this.#waiting
    if (waiting) waiting.notify(method, related)
    else this.#peer.notify(method, related)
  }

  async ask(method: string, params: JsonObject, { related: _, ...options }: AskOptions): Promise<JsonObject> {
    const sent = { ...params, _meta: metaOfTask(params._meta, this.#task.taskId) }
    if (this.#questions++ === 0) this.#move('input_required')
    try {
      if (this.#peer.ask) return await this.#peer.ask(method, sent, options)
      for (;;) {
        const waiting = await this.#waiter(this.request.signal)
        try {
          return await waiting.ask(method, sent, options)
        } catch (error) {
          // The waiting requests have ended; another one may come and be asked.
          if (!waiting.isOver || this.request.isOver) throw error
        }
      }
    } finally {
      if (--this.#questions === 0) this.#move('working')
    }
  }

  #waiter(signal: AbortSignal): Promise<TaskWaiter> {
    return new Promise((resolve, reject) => {
      const look = () => {
        const [waiting] = this.#waiting
        if (!waiting && !signal.aborted) return
        this.#wakes.delete(look)
        signal.removeEventListener('abort', look)
        if (waiting) resolve(waiting)
        else reject(signal.reason)
      }
      this.#wakes.add(look)
      signal.addEventListener('abort', look)
      look()
    })
  }

  #end(status: TaskStatus, message?: string): void {
    if (this.isOver) return
    this.#move(status, message)
    this.request.end()
  }

  #move(status: TaskStatus, message?: string): void {
    if (this.isOver) return
    this.#change({ status, ...(message === undefined ? {} : { statusMessage: message.slice(0, mostCharacters) }) })
    this.#say()
  }

  #change(change: Partial<Task>): void {
    if (this.isOver) return
    this.#task = { ...this.#task, ...change, lastUpdatedAt: new Date().toISOString() }
    this.onChange?.()
  }

  #say(): void {
    this.#saidAt = Date.now()
    this.#peer.notify('notifications/tasks/status', { ...this.task } as unknown as JsonObject)
  }
}

/** The first text of a result, for the reason of a failure. */
function textIn({ content }: JsonObject): string | undefined {
  const [first] = Array.isArray(content) ? content : []
  const { text } = (first ?? {}) as { text?: unknown }
  return typeof text === 'string' ? text : undefined
}
