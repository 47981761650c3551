import type { JsonObject } from '../protocol/messages.js'
import type { ToolDefinition } from '../protocol/types.js'

/** A tool as the model sees it, with a name that is unique among all servers. */
export interface HostFunction {
  name: string
  /** Id of its server. */
  server: string
  tool: ToolDefinition
  description: string
  parameters: JsonObject
}

/** The tools of several servers as one list of functions, with names that chat endpoints accept. */
export function toFunctions(servers: readonly { id: string; tools: readonly ToolDefinition[] }[]): HostFunction[] {
  const all = servers.flatMap(({ id, tools }) => tools.map((tool) => ({ server: id, tool })))
  const often = new Map<string, number>()
  for (const { tool } of all) often.set(plain(tool.name), (often.get(plain(tool.name)) ?? 0) + 1)
  const taken = new Set<string>()
  return all.map(({ server, tool }) => {
    const own = plain(tool.name)
    const wanted = (often.get(own) ?? 0) > 1 ? plain(`${server}_${own}`) : own
    let name = wanted
    for (let number = 2; taken.has(name); number++) name = `${wanted.slice(0, 60)}_${number}`
    taken.add(name)
    return { name, server, tool, description: tool.description ?? '', parameters: tool.inputSchema }
  })
}

const plain = (name: string): string => name.replace(/[^A-Za-z0-9_]+/g, '_').slice(0, 64) || 'tool'
