import { isResponse, type Message } from '../../protocol/messages.js'
import { type EventStream, streamHeaders } from './event-stream.js'
import { type HttpResponse, jsonMessage } from './exchange.js'
import type { Overdue, Waiting } from './overdue.js'

/** The response to a POST: JSON, or a stream if other messages come before the responses. */
export class PostReply implements Waiting {
  dueAtMs = 0
  before: Waiting | undefined
  after: Waiting | undefined
  #open: number
  readonly #isBatch: boolean
  readonly #openStream: () => EventStream
  readonly #overdue: Overdue
  #responses: Message[] = []
  #stream: EventStream | undefined
  #response: HttpResponse | undefined
  #resolve: ((response: HttpResponse) => void) | undefined

  constructor(requests: number, isBatch: boolean, overdue: Overdue, openStream: () => EventStream) {
    this.#open = requests
    this.#isBatch = isBatch
    this.#openStream = openStream
    this.#overdue = overdue
  }

  /** Read once, after the requests were passed on. A promise and a timer are created only if the response is not ready. */
  get response(): HttpResponse | Promise<HttpResponse> {
    if (this.#response) return this.#response
    this.#overdue.add(this)
    return new Promise((resolve) => {
      this.#resolve = resolve
    })
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
    if (first) this.#give(jsonMessage(this.#isBatch ? this.#responses : first))
    // Cancelled: the stream ends without a response (Transports, "Sending Messages to the Server").
    else this.#give({ status: 200, headers: { ...streamHeaders }, stream: endAtOnce })
  }

  /** Switches to a stream if the request takes long. */
  overdue(): void {
    this.#upgrade()
  }

  #give(response: HttpResponse): void {
    this.#response = response
    this.#resolve?.(response)
  }

  #upgrade(): EventStream {
    this.#overdue.remove(this)
    const stream = this.#openStream()
    this.#stream = stream
    for (const response of this.#responses.splice(0)) stream.send(response)
    this.#give({ status: 200, headers: { ...streamHeaders }, stream: (sink) => stream.attach(sink) })
    return stream
  }
}

const endAtOnce: NonNullable<HttpResponse['stream']> = (sink) => {
  sink.end()
  return () => {}
}
