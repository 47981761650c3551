import type { JsonObject } from '../protocol/messages.js'
import type { Answerer, Question, QuestionAnswer } from './server-requests.js'

/** A prepared answer: `about` is part of the question's message; without it, the answer applies to any question. */
export interface ReadyAnswer {
  about?: string
  action: 'accept' | 'decline' | 'cancel'
  content?: JsonObject
}

/** Answers every question the same way; `accept` accepts forms with their defaults, and pages only by https or on this machine. */
export const alwaysAnswer =
  (action: QuestionAnswer['action']): Answerer =>
  (question) => ({ action: action === 'accept' && !isTrustworthy(question) ? 'decline' : action })

/** A page that no user has checked is accepted only if its connection is encrypted or local. */
function isTrustworthy(question: Question): boolean {
  if (question.kind === 'form') return true
  const { protocol, hostname } = new URL(question.url)
  return protocol === 'https:' || (protocol === 'http:' && /^(localhost|127(\.\d{1,3}){3}|\[::1\])$/.test(hostname))
}

/**
 * Answers from a list, each used once, the first that matches. If none matches, the question is cancelled and `onNone` is called.
 *
 * @example connect(kit, { onQuestion: answersFrom([{ about: 'weight', action: 'accept', content: { kg: 41 } }]) })
 */
export function answersFrom(list: readonly ReadyAnswer[], onNone: (message: string) => void = () => {}): Answerer {
  const left = [...list]
  return (question) => {
    const { message } = question
    const at = left.findIndex(({ about }) => about === undefined || message.includes(about))
    const [found] = at < 0 ? [] : left.splice(at, 1)
    if (!found) {
      onNone(message)
      return { action: 'cancel' }
    }
    if (found.action === 'accept' && !isTrustworthy(question)) return { action: 'decline' }
    return found.action === 'accept'
      ? { action: 'accept', ...(found.content ? { content: found.content } : {}) }
      : { action: found.action }
  }
}
