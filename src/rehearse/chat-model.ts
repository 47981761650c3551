import { askEndpoint, type ChatModelOptions, functionOf } from '../models/chat-endpoint.js'
import type { Choice } from '../models/keyword-picker.js'
import type { ToolDefinition } from '../protocol/types.js'

/**
 * Asks a chat endpoint with function calling which tool it would call. Rejects with a `JexoError` if the response is
 * not in the expected format.
 */
export async function pickByModel(
  url: string,
  tools: readonly ToolDefinition[],
  question: string,
  options: ChatModelOptions = {},
): Promise<Choice> {
  const body = {
    messages: [{ role: 'user', content: question }],
    tools: tools.map(({ name, description = '', inputSchema }) => functionOf(name, description, inputSchema)),
  }
  const [call] = (await askEndpoint(url, body, options)).calls
  return { tool: call?.name ?? 'none', ranking: [], margin: 0, arguments: call?.arguments ?? {} }
}
