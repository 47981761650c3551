import type { JsonObject } from '../protocol/messages.js'
import type { ToolResult } from '../protocol/types.js'
import type { Link } from './link.js'

/** Runs a tool as a task and waits for its result. If the caller gives up waiting, the task is cancelled. */
export async function resultOfTask(
  link: Link,
  tool: string,
  args: JsonObject,
  signal: AbortSignal = new AbortController().signal,
): Promise<ToolResult> {
  const task = await link.start(tool, args, { signal, onProgress: () => {} })
  try {
    return await task.result({ signal })
  } catch (error) {
    if (signal.aborted) await task.cancel().catch(() => {})
    throw error
  }
}
