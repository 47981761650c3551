import { isResponse, type Message, type RequestId } from './messages.js'

/** Collects the responses to one batch, and passes them on together when the last request is settled (R2). */
export class BatchReply {
  readonly #open: Set<RequestId>
  readonly #gathered: Message[] = []
  readonly #deliver: (messages: Message[]) => void

  constructor(ids: Iterable<RequestId>, deliver: (messages: Message[]) => void) {
    this.#open = new Set(ids)
    this.#deliver = deliver
  }

  /** Adds a response to a message without a readable id. */
  add(message: Message): void {
    this.#gathered.push(message)
  }

  /** True if the message was a response of this batch and is kept for later. */
  take(message: Message, related: RequestId | undefined): boolean {
    if (!isResponse(message) || related === undefined || !this.#open.has(related)) return false
    this.#gathered.push(message)
    return true
  }

  settled(id: RequestId): void {
    this.#open.delete(id)
    this.deliverIfDone()
  }

  get isDone(): boolean {
    return this.#open.size === 0
  }

  /** Passes on the responses so far, without waiting for the rest. */
  deliverNow(): void {
    if (this.#gathered.length > 0) this.#deliver(this.#gathered.splice(0))
  }

  deliverIfDone(): void {
    if (this.isDone) this.deliverNow()
  }
}
