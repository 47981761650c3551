import { askEndpoint, type ChatModelOptions, functionOf } from '../models/chat-endpoint.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type { HostFunction } from './functions.js'
import type { HostMessage, HostModel } from './model.js'

/**
 * A model behind a chat endpoint with function calling. Its turns reject with a `JexoError` if the endpoint does not
 * answer.
 *
 * @example const model = chatHostModel('http://127.0.0.1:8080/v1/chat/completions', { model: 'local' })
 */
export function chatHostModel(url: string, options: ChatModelOptions = {}): HostModel {
  return {
    name: options.model ?? url,
    async turn(messages, functions, signal) {
      const tools = endpointFunctions(functions)
      const body = { messages: messages.map(wireOf), ...(tools.length > 0 ? { tools } : {}) }
      const { text = '', calls } = await askEndpoint(url, body, options, signal)
      return { text, calls }
    },
    async complete(request, signal) {
      const body = { messages: samplingMessages(request), max_tokens: request.maxTokens }
      const { text = '' } = await askEndpoint(url, body, options, signal)
      const answer: ModelReply = {
        role: 'assistant',
        content: { type: 'text', text },
        model: options.model ?? 'unnamed',
        stopReason: 'endTurn',
      }
      return answer
    },
  }
}

/** Functions in the format of chat endpoints, with schemas simplified to the supported keywords. */
export const endpointFunctions = (functions: readonly HostFunction[]): JsonObject[] =>
  functions.map(({ name, description, parameters }) => functionOf(name, description, parameters))

function wireOf(message: HostMessage): JsonObject {
  switch (message.role) {
    case 'person': {
      const attached = message.attached.map(({ label, text }) => `[${label}]\n${text}`)
      return { role: 'user', content: [...attached, message.text].join('\n\n') }
    }
    case 'model': {
      if (message.calls.length === 0) return { role: 'assistant', content: message.text }
      const calls = message.calls.map(({ id, name, arguments: given }) => ({
        id,
        type: 'function',
        function: { name, arguments: JSON.stringify(given) },
      }))
      return { role: 'assistant', content: message.text, tool_calls: calls }
    }
    case 'tool':
      return { role: 'tool', tool_call_id: message.call, content: message.text }
  }
}

function samplingMessages({ systemPrompt, messages }: ModelRequest): JsonObject[] {
  const system = systemPrompt === undefined ? [] : [{ role: 'system', content: systemPrompt }]
  return [
    ...system,
    ...messages.map(({ role, content }) => ({
      role,
      content: [content]
        .flat()
        .map((block) => (isObject(block) && typeof block.text === 'string' ? block.text : `(${block.type})`))
        .join('\n'),
    })),
  ]
}
