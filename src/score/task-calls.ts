import { isObject } from '../protocol/messages.js'

/** Calls that became tasks, by the ids that later messages use. */
export class TaskCalls<Call> {
  readonly #byTask = new Map<string, Call>()
  readonly #byRequest = new Map<string, Call>()

  /** The response to a call is a task; returns the key under which it stays open. */
  started(target: string, taskId: string, requestKey: string, call: Call): string {
    const key = this.#key(target, taskId)
    this.#byTask.set(key, call)
    this.#byRequest.set(requestKey, call)
    return key
  }

  keyOf(target: string, taskId: unknown): string | undefined {
    const key = this.#key(target, taskId)
    return this.#byTask.has(key) ? key : undefined
  }

  callOf(target: string, taskId: unknown): Call | undefined {
    return this.#byTask.get(this.#key(target, taskId))
  }

  /** Upstream records of a task refer to the request that created it. */
  byRequest(requestKey: string): Call | undefined {
    return this.#byRequest.get(requestKey)
  }

  /** True if a response says that the task of its request has ended. */
  isOver(method: string, { result, error }: { result?: unknown; error?: unknown }): boolean {
    if (method === 'tasks/result') return result !== undefined || error !== undefined
    return (
      (method === 'tasks/get' || method === 'tasks/cancel') && isObject(result) && isTerminalWord(result.status)
    )
  }

  readonly #key = (target: string, taskId: unknown) => `${target} task ${String(taskId)}`
}

/** The task that a response created. */
export function startedIn(result: unknown): { taskId: string; status: string } | undefined {
  const task = isObject(result) ? result.task : undefined
  if (!isObject(task) || typeof task.taskId !== 'string') return undefined
  return { taskId: task.taskId, status: String(task.status) }
}

export const isTerminalWord = (status: unknown): boolean =>
  status === 'completed' || status === 'failed' || status === 'cancelled'

/** A shortened id that still distinguishes tasks. */
export const shortId = (taskId: unknown): string => (typeof taskId === 'string' ? taskId.slice(0, 8) : '')
