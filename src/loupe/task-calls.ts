import type { Catalogue } from '../link/catalogue.js'
import type { JsonObject } from '../protocol/messages.js'

/** True for a call of a tool that runs only as a task, unless the user wrote the task parameters. */
export const runsAsTask = ({ tools }: Catalogue, method: string, { name, task }: JsonObject): boolean =>
  method === 'tools/call' &&
  task === undefined &&
  tools.some((tool) => tool.name === name && tool.execution?.taskSupport === 'required')
