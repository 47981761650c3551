import { isObject } from '../protocol/messages.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'

/**
 * Answers in place of a model: offline, and the same for the same request. It understands nothing; it repeats the last
 * message, shortened to the requested length, so that a server's side of the exchange can be tested.
 */
export function standInModel(request: ModelRequest): ModelReply {
  const said = request.messages
    .flatMap(({ content }) => [content].flat())
    .map((block) => (isObject(block) && typeof block.text === 'string' ? block.text : ''))
    .filter(Boolean)
  const text = `(stand-in) ${said.at(-1) ?? 'There is no message.'}`
  // About four characters a token.
  const most = Math.max(16, request.maxTokens * 4)
  const isCut = text.length > most
  return {
    role: 'assistant',
    content: { type: 'text', text: isCut ? text.slice(0, most) : text },
    model: 'jexo-stand-in',
    stopReason: isCut ? 'maxTokens' : 'endTurn',
  }
}
