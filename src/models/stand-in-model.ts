import { isObject } from '../protocol/messages.js'
import type { ModelAnswer, ModelRequest } from '../protocol/sampling.js'

/**
 * Answers for a model if there is none: offline, always the same for the same request. It understands nothing; it gives back the
 * last thing that was said, cut to what was asked for, so that a server's part of the exchange can be tried.
 */
export function standInModel(request: ModelRequest): ModelAnswer {
  const said = request.messages
    .flatMap(({ content }) => [content].flat())
    .map((block) => (isObject(block) && typeof block.text === 'string' ? block.text : ''))
    .filter(Boolean)
  const text = `(stand-in) ${said.at(-1) ?? 'Nothing was said.'}`
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
