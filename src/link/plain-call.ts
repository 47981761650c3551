import type { JsonObject } from '../protocol/messages.js'
import type { ToolResult } from '../protocol/types.js'
import { isTerminal, type Task } from '../tasks/task.js'
import type { CallOptions } from './options.js'
import type { StartOptions, TaskHandle } from './tasks.js'

/** A call to a server without tasks, as a task handle. */
export function plainCall<Result extends JsonObject>(
  call: (params: JsonObject, options: CallOptions) => Promise<JsonObject>,
  tool: string,
  args: JsonObject,
  { signal, onProgress, meta }: StartOptions,
): TaskHandle<Result> {
  const aborter = new AbortController()
  const now = new Date().toISOString()
  let task: Task = { taskId: '', status: 'working', createdAt: now, lastUpdatedAt: now, ttl: null }
  const listeners = new Set<(task: Task) => void>()
  const move = (status: Task['status']) => {
    if (isTerminal(task.status)) return
    task = { ...task, status, lastUpdatedAt: new Date().toISOString() }
    for (const listener of listeners) listener({ ...task })
  }
  const options = {
    signal: signal ? AbortSignal.any([signal, aborter.signal]) : aborter.signal,
    ...(onProgress ? { onProgress } : {}),
    ...(meta ? { meta } : {}),
  }
  const called = call({ name: tool, arguments: args }, options) as unknown as Promise<ToolResult<Result>>
  called.then(
    ({ isError }) => move(isError ? 'failed' : 'completed'),
    () => move('failed'),
  )
  return {
    id: undefined,
    status: async () => ({ ...task }),
    onStatus: (listener) => {
      listeners.add(listener)
      listener({ ...task })
      return () => void listeners.delete(listener)
    },
    result: () => called,
    cancel: async () => {
      move('cancelled')
      aborter.abort(new DOMException('the task was cancelled', 'AbortError'))
      return { ...task }
    },
  }
}
