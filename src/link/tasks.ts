import { isJexoError } from '../errors.js'
import { protocolErrors } from '../protocol/errors.js'
import type { AskOptions, Progress } from '../protocol/incoming.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ToolResult } from '../protocol/types.js'
import { isTerminal, type Task, taskIn } from '../tasks/task.js'
import type { CallOptions } from './options.js'

export interface StartOptions extends Omit<CallOptions, 'timeoutMs'> {
  /** Requested lifetime of the task and its result, in milliseconds; the server decides. */
  ttlMs?: number
}
export interface WaitOptions {
  signal?: AbortSignal
}

/** A call that runs as a task on the server. Its id finds it again, from another process too. */
export interface TaskHandle<Result extends JsonObject = JsonObject> {
  /** Undefined if the server has no tasks: the call is then an ordinary one, and ends with this link. */
  readonly id: string | undefined
  /** The current status. */
  status(): Promise<Task>
  /** Calls a function with the current status and for each change; returns a function that stops it. */
  onStatus(listener: (task: Task) => void): () => void
  /** Waits for the end. Resolves as `call` does; rejects with an `RpcError` if the task failed or was cancelled. */
  result(options?: WaitOptions): Promise<ToolResult<Result>>
  /** Cancels the task. Rejects with an `RpcError` if it has ended already. */
  cancel(): Promise<Task>
}

type Ask = (method: string, params: JsonObject, options?: AskOptions) => Promise<JsonObject>

/** Time limit of a request for a result; servers keep tasks for a day at most. */
const resultMs = 24 * 60 * 60_000
const pollMs = { usual: 1000, least: 100, most: 30_000 }

/** The tasks that a link has started or found again. */
export class LinkTasks {
  readonly #ask: Ask
  readonly #listeners = new Map<string, Set<(task: Task) => void>>()
  /** Progress of tasks continues after the response to their calls. */
  readonly #progress = new Map<string, (progress: Progress) => void>()
  #nextToken = 1

  constructor(ask: Ask) {
    this.#ask = ask
  }

  async start<Result extends JsonObject>(
    name: string,
    args: JsonObject,
    { ttlMs, meta, onProgress, signal }: StartOptions,
  ): Promise<TaskHandle<Result>> {
    const token = `task-${this.#nextToken++}`
    if (onProgress) this.#progress.set(token, onProgress)
    const params = {
      name,
      arguments: args,
      task: ttlMs === undefined ? {} : { ttl: ttlMs },
      ...(meta || onProgress ? { _meta: { ...meta, ...(onProgress ? { progressToken: token } : {}) } } : {}),
    }
    try {
      const response = await this.#ask('tools/call', params, { signal })
      return this.handle(this.#checked('tools/call', response.task).taskId, token)
    } catch (error) {
      this.#progress.delete(token)
      throw error
    }
  }

  /** Calls a tool as a task, and waits for its result. Aborting cancels the task. */
  async call(tool: string, args: JsonObject, options: CallOptions): Promise<JsonObject> {
    const task = await this.start(tool, args, options)
    const { signal } = options
    try {
      return (await task.result(signal ? { signal } : {})) as unknown as JsonObject
    } catch (error) {
      if (signal?.aborted) await task.cancel().catch(() => {})
      throw error
    }
  }

  handle<Result extends JsonObject>(id: string, token?: string): TaskHandle<Result> {
    const task = (method: string) => async () => this.#checked(method, await this.#ask(method, { taskId: id }))
    return {
      id,
      status: task('tasks/get'),
      cancel: task('tasks/cancel'),
      onStatus: (listener) => this.#follow(id, listener),
      result: async ({ signal } = {}) => {
        try {
          return (await this.#result(id, signal)) as unknown as ToolResult<Result>
        } finally {
          if (token !== undefined) this.#progress.delete(token)
        }
      },
    }
  }

  async list(): Promise<Task[]> {
    const tasks: Task[] = []
    let cursor: unknown
    do {
      const page = await this.#ask('tasks/list', cursor === undefined ? {} : { cursor })
      if (!Array.isArray(page.tasks))
        throw protocolErrors.responseMalformed('tasks/list', '"tasks" is not an array')
      tasks.push(...page.tasks.slice(0, mostTasks).map((task) => this.#checked('tasks/list', task)))
      cursor = page.nextCursor === cursor ? undefined : page.nextCursor
    } while (typeof cursor === 'string' && tasks.length < mostTasks)
    return tasks
  }

  /** A notification on the status of a task. */
  heard(params: JsonObject): void {
    const listeners = this.#listeners.get(String(params.taskId))
    if (listeners)
      for (const listener of [...listeners]) listener(this.#checked('notifications/tasks/status', params))
  }

  /** Progress that belongs to no pending request. */
  progressed({ progressToken, progress, total, message }: JsonObject): void {
    const listener = this.#progress.get(String(progressToken))
    if (typeof progress !== 'number') return
    listener?.({
      progress,
      ...(typeof total === 'number' ? { total } : {}),
      ...(typeof message === 'string' ? { message } : {}),
    })
  }

  /**
   * Waits for the end with one request; if the connection breaks, asks again at the interval that the server suggests.
   */
  async #result(id: string, signal: AbortSignal | undefined): Promise<JsonObject> {
    for (;;) {
      try {
        return await this.#ask('tasks/result', { taskId: id }, { timeoutMs: resultMs, signal })
      } catch (error) {
        if (!isJexoError(error) || !broken.has(error.code) || signal?.aborted) throw error
        const { pollInterval } = this.#checked('tasks/get', await this.#ask('tasks/get', { taskId: id }))
        await pause(pollInterval, signal)
      }
    }
  }

  /** Servers need not report changes, so they are polled at the interval that they suggest. */
  #follow(id: string, listener: (task: Task) => void): () => void {
    let last = ''
    let isOver = false
    const tell = (task: Task) => {
      if (isOver || JSON.stringify(task) === last) return
      last = JSON.stringify(task)
      listener(task)
      if (isTerminal(task.status)) stop()
    }
    const listeners = this.#listeners.get(id) ?? new Set()
    this.#listeners.set(id, listeners.add(tell))
    const stop = () => {
      isOver = true
      listeners.delete(tell)
      if (listeners.size === 0) this.#listeners.delete(id)
    }
    const poll = async () => {
      while (!isOver) {
        const task = this.#checked('tasks/get', await this.#ask('tasks/get', { taskId: id }))
        tell(task)
        if (!isOver) await pause(task.pollInterval, undefined)
      }
    }
    poll().catch(stop)
    return stop
  }

  #checked(method: string, value: unknown): Task {
    try {
      return taskIn(value)
    } catch (error) {
      throw protocolErrors.responseMalformed(method, (error as Error).message)
    }
  }
}

/** Limits the number of tasks that are read. */
const mostTasks = 10_000

/** Errors of a connection that do not end the task. */
const broken: ReadonlySet<string> = new Set(['connect-failed', 'request-timed-out', 'response-malformed'])

function pause(wantedMs: unknown, signal: AbortSignal | undefined): Promise<void> {
  const ms = typeof wantedMs === 'number' ? Math.min(Math.max(wantedMs, pollMs.least), pollMs.most) : pollMs.usual
  return new Promise((resolve, reject) => {
    const abort = () => {
      clearTimeout(timer)
      reject(signal?.reason)
    }
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', abort)
      resolve()
    }, ms)
    ;(timer as { unref?: () => void }).unref?.()
    signal?.addEventListener('abort', abort, { once: true })
  })
}
