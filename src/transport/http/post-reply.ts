import { isResponse, type Message } from '../../protocol/messages.js'
import { type EventStream, streamHeaders } from './event-stream.js'
import { type HttpAnswer, jsonMessage } from './exchange.js'
import type { Overdue, Waiting } from './overdue.js'

/** What one POST is answered with: JSON where nothing has to be streamed, else a stream, begun when the first thing comes. */
export class PostReply implements Waiting {
  dueAtMs = 0
  before: Waiting | undefined
  after: Waiting | undefined
  readonly answer: Promise<HttpAnswer>
  #open: number
  readonly #isBatch: boolean
  readonly #openStream: () => EventStream
  readonly #overdue: Overdue
  #responses: Message[] = []
  #stream: EventStream | undefined
  #resolve: (answer: HttpAnswer) => void = () => {}

  constructor(requests: number, isBatch: boolean, overdue: Overdue, openStream: () => EventStream) {
    this.#open = requests
    this.#isBatch = isBatch
    this.#openStream = openStream
    this.answer = new Promise((resolve) => {
      this.#resolve = resolve
    })
    this.#overdue = overdue
    overdue.add(this)
  }

  take(message: Message): void {
    if (this.#stream) this.#stream.send(message)
    else if (isResponse(message)) this.#responses.push(message)
    else this.#upgrade().send(message)
  }

  settled(): void {
    this.#open--
    this.finishIfSettled()
  }

  finishIfSettled(): void {
    if (this.#open > 0) return
    this.#overdue.remove(this)
    if (this.#stream) return this.#stream.finish()
    const [first] = this.#responses
    if (first) this.#resolve(jsonMessage(this.#isBatch ? this.#responses : first))
    // Cancelled: it ends without a response, so the stream is empty (Transports, "Sending Messages to the Server").
    else this.#resolve({ status: 200, headers: { ...streamHeaders }, stream: endAtOnce })
  }

  /** It has taken long: a stream shows that the server is at work. */
  overdue(): void {
    this.#upgrade()
  }

  #upgrade(): EventStream {
    this.#overdue.remove(this)
    const stream = this.#openStream()
    this.#stream = stream
    for (const response of this.#responses.splice(0)) stream.send(response)
    this.#resolve({ status: 200, headers: { ...streamHeaders }, stream: (sink) => stream.attach(sink) })
    return stream
  }
}

const endAtOnce: NonNullable<HttpAnswer['stream']> = (sink) => {
  sink.end()
  return () => {}
}
