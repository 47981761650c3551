import { isObject, type JsonObject } from '../protocol/messages.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import { isTerminal, type Task, taskIn } from './task.js'

/** A task as stored for other processes. */
export interface KeptTask {
  task: Task
  /** Owner of the task; undefined if callers are not authenticated. */
  owner: string | undefined
  /** The process that runs it. */
  member: string
  /** Other processes may continue it. */
  isDurable?: boolean
  result?: JsonObject
  fault?: { code: number; message: string; data?: unknown }
}

/** Version of the stored format; processes with another version ignore the entry. */
const version = 1

export const keptText = (kept: KeptTask): string => JSON.stringify({ version, ...kept })

/** Undefined if this version cannot parse it. */
export function readKept(text: string): KeptTask | undefined {
  try {
    const value: unknown = JSON.parse(text)
    if (!isObject(value) || value.version !== version || typeof value.member !== 'string') return undefined
    const { member, owner, isDurable, result, fault } = value
    if (owner !== undefined && typeof owner !== 'string') return undefined
    return {
      task: taskIn(value.task),
      owner,
      member,
      ...(isDurable === true ? { isDurable } : {}),
      ...(isObject(result) ? { result } : {}),
      ...(isObject(fault) ? { fault: fault as unknown as NonNullable<KeptTask['fault']> } : {}),
    }
  } catch {
    return undefined
  }
}

/** The same task, ended for a reason other than its work. */
export function endedAs(kept: KeptTask, status: 'failed' | 'cancelled', message: string): KeptTask {
  const task = { ...kept.task, status, statusMessage: message, lastUpdatedAt: new Date().toISOString() }
  return { ...kept, task, fault: { code: codes.internal, message } }
}

/** The final response of the task; undefined while it runs. Throws the `RpcError` that it ended with. */
export function outcomeOf({ task, result, fault }: KeptTask): JsonObject | undefined {
  if (!isTerminal(task.status)) return undefined
  if (result) return result
  const { code = codes.internal, message = 'The task has no result', data } = fault ?? {}
  throw new RpcError(code, message, data)
}
