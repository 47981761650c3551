import { answersFrom, type ReadyAnswer } from '../link/answerers.js'
import type { Answerer, ModelResponder, Question } from '../link/server-requests.js'
import type { ModelRequest } from '../protocol/sampling.js'

/** A scripted user: answers from a list and records the questions. */
export interface ScriptedPerson {
  readonly onQuestion: Answerer
  /** Messages of all questions, in order. */
  readonly asked: readonly string[]
  /** Questions without a matching answer; they were cancelled. */
  readonly unanswered: readonly string[]
}

/**
 * A user for tests. Each answer is used once, for the first question that it matches.
 *
 * @example
 * const person = scriptedPerson([{ about: 'storesKg', action: 'accept', content: { storesKg: 11 } }])
 * const link = await openKit(kit, { onQuestion: person.onQuestion })
 */
export function scriptedPerson(answers: readonly ReadyAnswer[]): ScriptedPerson {
  const asked: string[] = []
  const unanswered: string[] = []
  const answer = answersFrom(answers, (message) => unanswered.push(message))
  return {
    asked,
    unanswered,
    onQuestion: (question: Question) => {
      asked.push(question.message)
      return answer(question)
    },
  }
}

/** A scripted model: replies from a list and records the requests. */
export interface ScriptedModel {
  readonly onModelRequest: ModelResponder
  readonly requests: readonly ModelRequest[]
}

/** A model for tests: returns one text after the other, then refuses. */
export function scriptedModel(texts: readonly string[]): ScriptedModel {
  const requests: ModelRequest[] = []
  return {
    requests,
    onModelRequest: (request) => {
      const text = texts[requests.length]
      requests.push(request)
      if (text === undefined) throw new Error('the script of the model has no more replies')
      return { role: 'assistant', content: { type: 'text', text }, model: 'scripted', stopReason: 'endTurn' }
    },
  }
}
