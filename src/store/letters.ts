import { messageOf } from '../errors.js'
import type { JsonObject } from '../protocol/messages.js'
import type { Member } from './store.js'

export type Respond = (letter: JsonObject) => JsonObject | undefined | Promise<JsonObject | undefined>

interface Pending {
  resolve(reply: JsonObject | undefined): void
  reject(error: Error): void
}

/** Interval of the check whether the answering process still runs, in milliseconds. */
const lookEveryMs = 4000

/** Requests between the processes of a server, each with one response. */
export class Letters {
  readonly #member: Member
  readonly #responders = new Map<string, Respond>()
  readonly #pending = new Map<number, Pending>()
  #number = 0

  constructor(member: Member) {
    this.#member = member
  }

  on(subject: string, respond: Respond): void {
    this.#responders.set(subject, respond)
  }

  /**
   * Resolves to the response; undefined if there is no such process, or if it ends before it responds. Rejects with its
   * error.
   */
  async ask(
    member: string,
    subject: string,
    letter: JsonObject,
    signal?: AbortSignal,
  ): Promise<JsonObject | undefined> {
    const number = ++this.#number
    let stop = () => {}
    const reply = new Promise<JsonObject | undefined>((resolve, reject) => {
      this.#pending.set(number, { resolve, reject })
      const looking = setInterval(() => {
        // Unknown while the store is unavailable.
        this.#member
          .isAlive(member)
          .then((isAlive) => isAlive || resolve(undefined))
          .catch(() => {})
      }, lookEveryMs)
      const abort = () => reject(signal?.reason)
      signal?.addEventListener('abort', abort, { once: true })
      stop = () => {
        clearInterval(looking)
        signal?.removeEventListener('abort', abort)
        this.#pending.delete(number)
      }
    })
    reply.catch(() => {})
    try {
      const mail = { kind: 'letter', subject, number, sender: this.#member.id, letter }
      if (!(await this.#member.tell(member, mail))) return undefined
      return await reply
    } finally {
      stop()
    }
  }

  /** True if the message belonged to a request. */
  hear(mail: JsonObject): boolean {
    const { kind, number, sender, subject, letter, reply, error } = mail
    if (kind === 'letter' && typeof sender === 'string' && typeof number === 'number') {
      void this.#reply(sender, number, String(subject), (letter ?? {}) as JsonObject)
      return true
    }
    if (kind !== 'reply' || typeof number !== 'number') return kind === 'reply'
    const pending = this.#pending.get(number)
    if (typeof error === 'string') pending?.reject(new Error(error))
    else pending?.resolve((reply ?? undefined) as JsonObject | undefined)
    return true
  }

  async #reply(sender: string, number: number, subject: string, letter: JsonObject): Promise<void> {
    let said: JsonObject
    try {
      said = { reply: (await this.#responders.get(subject)?.(letter)) ?? null }
    } catch (error) {
      said = { error: messageOf(error) }
    }
    await this.#member.tell(sender, { kind: 'reply', number, ...said }).catch(() => {})
  }
}
