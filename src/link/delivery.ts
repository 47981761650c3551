import { isJexoError, messageOf } from '../errors.js'
import { isRequest, type Message, type Request, type RequestId } from '../protocol/messages.js'
import { linkErrors } from './errors.js'
import { troubleIn, waitBefore } from './trouble.js'
import { SessionGone, type Wire } from './wire.js'

/** The session whose messages are sent. */
interface DeliveredSession {
  isInitialized(): boolean
  isClosed(): boolean
  /** Opens a new session on the same wire. */
  reopen(): Promise<void>
  /** True while a request has no response. */
  isAsked(id: RequestId): boolean
  /** Rejects a request. */
  giveUp(id: RequestId, error: Error): void
  /** True for a tool that changes nothing. */
  isReadTool(name: unknown): Promise<boolean>
}

/** Sends the messages of a link, and sends them again after a temporary failure or in a new session. */
export class Delivery {
  readonly #wire: Wire
  readonly #session: DeliveredSession
  #reopening: Promise<void> | undefined
  /** How often a request was sent again. */
  readonly #tries = new WeakMap<Message, number>()

  constructor(wire: Wire, session: DeliveredSession) {
    this.#wire = wire
    this.#session = session
  }

  send(message: Message): void {
    try {
      const sent = this.#wire.send(message)
      if (sent instanceof Promise) sent.catch((error) => this.#failed(message, error))
    } catch (error) {
      this.#failed(message, error)
    }
  }

  #failed(message: Message, error: unknown): void {
    if (error instanceof SessionGone && this.#session.isInitialized() && !this.#session.isClosed()) {
      this.#reopening ??= this.#session.reopen().finally(() => {
        this.#reopening = undefined
      })
      this.#reopening.then(
        () => this.#sendInNewSession(message),
        (failure) => this.#giveUp(message, failure),
      )
    } else {
      void this.#tryAgain(message, error)
    }
  }

  /** Sends a request again, a few times, if the server has certainly not executed it, or if it only reads. */
  async #tryAgain(message: Message, error: unknown): Promise<void> {
    const trouble = troubleIn(error)
    const tries = this.#tries.get(message) ?? 0
    if (!trouble || !this.#session.isInitialized() || tries >= trouble.tries) return this.#giveUp(message, error)
    this.#tries.set(message, tries + 1)
    await new Promise((resolve) => setTimeout(resolve, waitBefore(tries)))
    if (this.#session.isClosed()) return
    // Sending a response or notification twice does no harm.
    if (!isRequest(message)) return this.send(message)
    if (!this.#session.isAsked(message.id)) return
    if (trouble.isUndone || (await this.#isRead(message).catch(() => false))) this.send(message)
    else this.#giveUp(message, error)
  }

  /** Repeats read-only requests in the new session; others are rejected. */
  async #sendInNewSession(message: Message): Promise<void> {
    if (!isRequest(message)) return
    try {
      if (await this.#isRead(message)) this.send(message)
      else this.#giveUp(message, linkErrors.sessionEnded(this.#wire.label))
    } catch (error) {
      this.#giveUp(message, error)
    }
  }

  /** True for requests that change nothing. */
  async #isRead({ method, params }: Request): Promise<boolean> {
    return method !== 'tools/call' || this.#session.isReadTool(params?.name)
  }

  #giveUp(message: Message, error: unknown): void {
    if (!isRequest(message)) return
    const known = isJexoError(error) ? error : linkErrors.connectFailed(this.#wire.label, messageOf(error), error)
    this.#session.giveUp(message.id, known)
  }
}
