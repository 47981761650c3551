import type { ReadyAnswer } from '../link/answerers.js'
import type { Question, QuestionAnswer } from '../link/server-requests.js'
import { standInModel } from '../models/stand-in-model.js'
import { isObject, type JsonObject, type RequestId } from '../protocol/messages.js'
import { codes, RpcError } from '../protocol/rpc-error.js'
import type { ModelReply, ModelRequest } from '../protocol/sampling.js'
import type { ClientSide } from './client-side.js'

/** An open request of a server to the user or a model. */
export type OpenQuestion = { requestId: RequestId } & (
  | { kind: 'form'; message: string; schema: JsonObject }
  | { kind: 'url'; message: string; url: string }
  | { kind: 'model'; request: ModelRequest }
  /** A sign-in at the server's authorization server is waiting for the user. */
  | { kind: 'sign-in'; url: string }
)
type Waiting = OpenQuestion & { resolve(value: never): void; reject(error: unknown): void }

/** Open questions of one server, until the page answers them or the server withdraws them. */
export class Questions {
  readonly #waiting = new Map<RequestId, Waiting>()
  readonly #changed: () => void
  readonly #side: () => ClientSide
  /** The replies in order, which become part of a case. */
  readonly answered: ReadyAnswer[] = []

  constructor(side: () => ClientSide, changed: () => void) {
    this.#side = side
    this.#changed = changed
  }

  get open(): OpenQuestion[] {
    return [...this.#waiting.values()].map(({ resolve: _, reject: __, ...question }) => question)
  }

  /** For `onQuestion` of a link. */
  ask = async (question: Question): Promise<QuestionAnswer> => {
    const { questions } = this.#side()
    const { message, requestId, signal } = question
    const asked: OpenQuestion =
      question.kind === 'form'
        ? { kind: 'form', requestId, message, schema: question.schema }
        : { kind: 'url', requestId, message, url: question.url }
    const answer =
      questions === 'person' ? await this.#wait<QuestionAnswer>(asked, signal) : ({ action: questions } as const)
    this.answered.push({ about: message, ...answer })
    return answer
  }

  /** For `onModelRequest` of a link. */
  askModel = async (request: ModelRequest, signal: AbortSignal, requestId: RequestId): Promise<ModelReply> => {
    const { model, cannedReply } = this.#side()
    if (model === 'stand-in') return standInModel(request)
    if (model === 'canned') return spoken(cannedReply)
    return this.#wait<ModelReply>({ kind: 'model', requestId, request }, signal)
  }

  /** Asks the user to sign in. Pending until the user returns; rejects if the user cancels. */
  signIn(requestId: string, url: URL): Promise<void> {
    return this.#wait<void>({ kind: 'sign-in', requestId, url: url.href }, new AbortController().signal)
  }

  /** The user returned, so the card is closed. */
  signedIn(requestId: string): void {
    const waiting = this.#waiting.get(requestId)
    if (waiting) this.#done(waiting)
  }

  /** Accepts the page's answer to a question; returns an error text if it is not valid. */
  answer(requestId: RequestId, given: unknown): string | undefined {
    const waiting = this.#waiting.get(requestId)
    if (!waiting) return 'The server no longer waits for this answer.'
    if (!isObject(given)) return 'An answer must be an object.'
    if (waiting.kind === 'model') return this.#replyForModel(waiting, given)
    const { action, content } = given
    if (waiting.kind === 'sign-in') {
      if (action !== 'cancel') return 'A sign-in is completed at the authorization server; only cancel it here.'
      this.#done(waiting)
      waiting.reject(new Error('the person cancelled the sign-in'))
      return undefined
    }
    if (action !== 'accept' && action !== 'decline' && action !== 'cancel') return 'Accept, decline or cancel it.'
    this.#done(waiting)
    const answer: QuestionAnswer =
      action === 'accept' ? { action, ...(isObject(content) ? { content } : {}) } : { action }
    waiting.resolve(answer as never)
    return undefined
  }

  /** The server has disconnected, so its requests are closed. */
  forget(): void {
    for (const waiting of [...this.#waiting.values()]) {
      this.#done(waiting)
      waiting.reject(new Error('the server is gone'))
    }
  }

  #replyForModel(waiting: Extract<Waiting, { kind: 'model' }>, given: JsonObject): undefined | string {
    const { text, standIn, refuse } = given
    if (refuse === true) {
      this.#done(waiting)
      waiting.reject(new RpcError(codes.userRejected, 'The person refused the request.'))
      return undefined
    }
    if (standIn !== true && typeof text !== 'string') return 'The reply for the model must be a string.'
    this.#done(waiting)
    waiting.resolve((standIn === true ? standInModel(waiting.request) : spoken(String(text))) as never)
    return undefined
  }

  #wait<T>(question: OpenQuestion, signal: AbortSignal): Promise<T> {
    return new Promise<T>((resolve, reject) => {
      const waiting = { ...question, resolve, reject } as Waiting
      this.#waiting.set(question.requestId, waiting)
      signal.addEventListener(
        'abort',
        () => this.#waiting.get(question.requestId) === waiting && this.#drop(waiting),
        {
          once: true,
        },
      )
      this.#changed()
    })
  }

  #drop(waiting: Waiting): void {
    this.#done(waiting)
    waiting.reject(new Error('the server no longer waits'))
  }

  #done(waiting: Waiting): void {
    this.#waiting.delete(waiting.requestId)
    this.#changed()
  }
}

const spoken = (text: string): ModelReply => ({
  role: 'assistant',
  content: { type: 'text', text },
  model: 'by-hand',
  stopReason: 'endTurn',
})
