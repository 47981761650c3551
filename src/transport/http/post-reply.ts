import { isResponse, type Message, type RequestId } from '../../protocol/messages.js'
import { type EventStream, streamHeaders } from './event-stream.js'
import { type HttpAnswer, jsonMessage } from './exchange.js'
import type { Overdue, Waiting } from './overdue.js'

/** What one POST is answered with: JSON where nothing has to be streamed, else a stream, begun when the first thing comes. */
export class PostReply {
  readonly answer: Promise<HttpAnswer>
  readonly #open: Set<RequestId>
  readonly #isBatch: boolean
  readonly #openStream: () => EventStream
  readonly #waiting: Waiting
  #responses: Message[] = []
  #stream: EventStream | undefined
  #resolve: (answer: HttpAnswer) => void = () => {}

  constructor(ids: readonly RequestId[], isBatch: boolean, overdue: Overdue, openStream: () => EventStream) {
    this.#open = new Set(ids)
    this.#isBatch = isBatch
    this.#openStream = openStream
    this.answer = new Promise((resolve) => {
      this.#resolve = resolve
    })
    this.#waiting = overdue.add(() => void this.#upgrade())
  }

  take(message: Message): void {
    if (this.#stream) this.#stream.send(message)
    else if (isResponse(message)) this.#responses.push(message)
    else this.#upgrade().send(message)
  }

  settled(id: RequestId): void {
    this.#open.delete(id)
    this.finishIfSettled()
  }

  finishIfSettled(): void {
    if (this.#open.size > 0) return
    this.#waiting.isSettled = true
    if (this.#stream) return this.#stream.finish()
    const [first] = this.#responses
    if (first) this.#resolve(jsonMessage(this.#isBatch ? this.#responses : first))
    // Cancelled: it ends without a response, so the stream is empty (Transports, "Sending Messages to the Server").
    else this.#resolve({ status: 200, headers: { ...streamHeaders }, stream: endAtOnce })
  }

  #upgrade(): EventStream {
    this.#waiting.isSettled = true
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
