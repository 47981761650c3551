import { isObject, type JsonObject } from '../protocol/messages.js'
import { type RpcError, rpcErrors } from '../protocol/rpc-error.js'

export type TaskStatus = 'working' | 'input_required' | 'completed' | 'failed' | 'cancelled'

/** A task (Tasks, "Task"). Times are ISO 8601, durations milliseconds. */
export interface Task {
  taskId: string
  status: TaskStatus
  /** Progress, or the reason of a failure. */
  statusMessage?: string
  createdAt: string
  lastUpdatedAt: string
  /** Lifetime of the task and its result, counted from its creation. `null` for no limit. */
  ttl: number | null
  /** Suggested polling interval. */
  pollInterval?: number
}

/** The field of `_meta` with the task of a message. */
export const relatedTask = 'io.modelcontextprotocol/related-task'

/** `_meta` of a message that belongs to a task. */
export const metaOfTask = (meta: unknown, taskId: string): JsonObject => ({
  ...(isObject(meta) ? meta : {}),
  [relatedTask]: { taskId },
})

/** True for a status that never changes. */
export const isTerminal = (status: TaskStatus): boolean =>
  status === 'completed' || status === 'failed' || status === 'cancelled'

/** Default and maximum lifetime of tasks. */
const usualTtlMs = 60 * 60_000
const mostTtlMs = 24 * 60 * 60_000

/** Reads `params.task` of a request. Throws an `RpcError` if it is not valid. */
export function readTtl(task: unknown): number {
  if (!isObject(task)) throw rpcErrors.invalidParams('"task" must be an object')
  const { ttl } = task
  if (ttl === undefined || ttl === null) return usualTtlMs
  if (typeof ttl !== 'number' || !Number.isFinite(ttl) || ttl < 0)
    throw rpcErrors.invalidParams('"task.ttl" must be a number of milliseconds')
  return Math.min(Math.max(1, Math.round(ttl)), mostTtlMs)
}

/** A response that creates a task. Throws an `Error` if it does not. */
export function taskIn(value: unknown): Task {
  const statuses: readonly unknown[] = ['working', 'input_required', 'completed', 'failed', 'cancelled']
  if (!isObject(value) || typeof value.taskId !== 'string' || !statuses.includes(value.status))
    throw new Error('"task" must have a taskId and a status')
  return value as unknown as Task
}

export const unknownTask = (taskId: unknown): RpcError =>
  rpcErrors.invalidParams(`unknown or expired task ${JSON.stringify(String(taskId).slice(0, 100))}`)
