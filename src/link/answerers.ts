import type { JsonObject } from '../protocol/messages.js'
import type { Answerer, QuestionAnswer } from './answering.js'

/** An answer that is ready for a question: `about` is a part of the question's message; without it any question is meant. */
export interface ReadyAnswer {
  about?: string
  action: 'accept' | 'decline' | 'cancel'
  content?: JsonObject
}

/** Answers every question the same way; `accept` accepts forms with their defaults. */
export const alwaysAnswer =
  (action: QuestionAnswer['action']): Answerer =>
  () => ({ action })

/**
 * Answers from a list, each once, the first that fits; `onNone` is told of a question that none fits, which is then cancelled.
 *
 * @example dial(kit, { onQuestion: answersFrom([{ about: 'weight', action: 'accept', content: { kg: 41 } }]) })
 */
export function answersFrom(list: readonly ReadyAnswer[], onNone: (message: string) => void = () => {}): Answerer {
  const left = [...list]
  return ({ message }) => {
    const at = left.findIndex(({ about }) => about === undefined || message.includes(about))
    const [found] = at < 0 ? [] : left.splice(at, 1)
    if (!found) {
      onNone(message)
      return { action: 'cancel' }
    }
    return found.action === 'accept'
      ? { action: 'accept', ...(found.content ? { content: found.content } : {}) }
      : { action: found.action }
  }
}
