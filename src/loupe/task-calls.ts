import type { Catalogue } from '../link/catalogue.js'
import type { Link } from '../link/link.js'
import { isObject, type JsonObject } from '../protocol/messages.js'

/** True for a call of a tool that runs as a task only, unless the person has written the task by hand. */
export const runsAsTask = ({ tools }: Catalogue, method: string, { name, task }: JsonObject): boolean =>
  method === 'tools/call' &&
  task === undefined &&
  tools.some((tool) => tool.name === name && tool.execution?.taskSupport === 'required')

/** Starts a task and waits for its result. Who gives up waiting cancels it. */
export async function resultOfTask(link: Link, params: JsonObject, signal: AbortSignal): Promise<JsonObject> {
  const args = isObject(params.arguments) ? params.arguments : {}
  const task = await link.start(String(params.name), args, { signal, onProgress: () => {} })
  try {
    return (await task.result({ signal })) as unknown as JsonObject
  } catch (error) {
    if (signal.aborted) await task.cancel().catch(() => {})
    throw error
  }
}
