import { isObject, type JsonObject } from './messages.js'
import type { AudioContent, ContentBlock, ImageContent, TextContent } from './types.js'

export interface ToolUse {
  type: 'tool_use'
  id: string
  name: string
  input: JsonObject
}
export interface ToolUseResult {
  type: 'tool_result'
  toolUseId: string
  content: ContentBlock[]
  structuredContent?: JsonObject
  isError?: boolean
}
export type SamplingBlock = TextContent | ImageContent | AudioContent | ToolUse | ToolUseResult
export interface SamplingMessage {
  role: 'user' | 'assistant'
  content: SamplingBlock | SamplingBlock[]
}
/** `sampling/createMessage`, the standard's own fields (Sampling, "Creating Messages"). */
export interface ModelRequest {
  messages: readonly SamplingMessage[]
  maxTokens: number
  modelPreferences?: {
    hints?: readonly { name?: string }[]
    costPriority?: number
    speedPriority?: number
    intelligencePriority?: number
  }
  systemPrompt?: string
  includeContext?: 'none' | 'thisServer' | 'allServers'
  temperature?: number
  stopSequences?: readonly string[]
  metadata?: JsonObject
  tools?: readonly JsonObject[]
  toolChoice?: { mode?: 'auto' | 'required' | 'none' }
}
export interface ModelReply {
  role: 'user' | 'assistant'
  content: SamplingBlock | SamplingBlock[]
  model: string
  stopReason?: string
}

/** Returns the problem with the messages of a request: each tool use requires one tool result, in a message without other content. */
export function samplingFault(messages: readonly unknown[]): string | undefined {
  let open: string[] = []
  for (const [index, message] of messages.entries()) {
    const fault = messageFault(message, open)
    if (fault) return `message ${index + 1} ${fault}`
    open = blocksOf(message).flatMap((block) => (block.type === 'tool_use' ? [String(block.id)] : []))
  }
  return open.length > 0 ? `tool use ${open[0]} has no result` : undefined
}

function messageFault(message: unknown, open: readonly string[]): string | undefined {
  if (!isObject(message) || (message.role !== 'user' && message.role !== 'assistant'))
    return 'has no role user or assistant'
  const blocks = blocksOf(message)
  if (blocks.length === 0) return 'has no content'
  const results = blocks.filter((block) => block.type === 'tool_result')
  if (results.length > 0 && message.role !== 'user') return 'has tool results, which only a user message may have'
  if (results.length > 0 && results.length < blocks.length) return 'mixes tool results with other content'
  if (results.length > 0 && open.length === 0) return 'has tool results, but no tool use precedes it'
  const ids = results.map((block) => String(block.toolUseId))
  const isMatched = ids.length === open.length && open.every((id) => ids.includes(id))
  return isMatched ? undefined : `must have one tool result for each tool use before it: ${open.join(', ')}`
}

function blocksOf(message: unknown): JsonObject[] {
  const content = isObject(message) ? message.content : undefined
  return (Array.isArray(content) ? content : [content]).filter(isObject)
}
