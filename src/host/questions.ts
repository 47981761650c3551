import type { Question, QuestionAnswer } from '../link/server-requests.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type { QuestionStep, SamplingStep } from './step.js'

/** The functions of a conversation that questions use. */
export interface QuestionsPlace {
  nextId(): number
  add(step: QuestionStep | SamplingStep): void
  changed(step: QuestionStep | SamplingStep): void
  complete(request: ModelRequest, signal: AbortSignal): Promise<ModelReply>
}

/** Requests of servers during calls: to the user, and to the model with the user's approval. */
export class Questions {
  readonly #place: QuestionsPlace
  readonly #open = new Map<number, (answer: QuestionAnswer) => void>()
  readonly #asked = new Map<number, (isAllowed: boolean) => void>()

  constructor(place: QuestionsPlace) {
    this.#place = place
  }

  ask(server: string, { signal, requestId: _, ...question }: Question): Promise<QuestionAnswer> {
    const step: QuestionStep = { kind: 'question', id: this.#place.nextId(), server, question, state: 'open' }
    this.#place.add(step)
    return new Promise((resolve) => {
      const end = (state: QuestionStep['state'], answer: QuestionAnswer) => {
        this.#open.delete(step.id)
        Object.assign(step, { state, answer })
        this.#place.changed(step)
        resolve(answer)
      }
      this.#open.set(step.id, (answer) => end('answered', answer))
      signal.addEventListener('abort', () => this.#open.has(step.id) && end('withdrawn', { action: 'cancel' }))
    })
  }

  askModel(server: string, request: ModelRequest, signal: AbortSignal): Promise<ModelReply> {
    const step: SamplingStep = { kind: 'sampling', id: this.#place.nextId(), server, request, state: 'open' }
    this.#place.add(step)
    const change = (state: SamplingStep['state'], answer?: ModelReply) => {
      Object.assign(step, { state, ...(answer ? { answer } : {}) })
      this.#place.changed(step)
    }
    return new Promise((resolve, reject) => {
      this.#asked.set(step.id, (isAllowed) => {
        this.#asked.delete(step.id)
        if (!isAllowed) {
          change('refused')
          reject(new Error('the person refused'))
          return
        }
        change('running')
        this.#place.complete(request, signal).then(
          (answer) => {
            change('answered', answer)
            resolve(answer)
          },
          (error: Error) => {
            change('refused')
            reject(error)
          },
        )
      })
      signal.addEventListener('abort', () => {
        if (!this.#asked.delete(step.id)) return
        change('withdrawn')
        reject(new Error('the server no longer waits for an answer'))
      })
    })
  }

  answer(id: number, answer: QuestionAnswer): boolean {
    const open = this.#open.get(id)
    open?.(answer)
    return open !== undefined
  }

  decideModelRequest(id: number, isAllowed: boolean): boolean {
    const asked = this.#asked.get(id)
    asked?.(isAllowed)
    return asked !== undefined
  }
}
