import type { Message } from '../protocol/messages.js'
import { maskedHeaders } from '../protocol/secrets.js'
import { exchangeOf, type HttpExchange } from '../transport/http-exchange.js'
import type { Journal } from './journal.js'

/** Records the messages of one connection, and the HTTP exchange of each. */
export class Recorder {
  readonly #id: string
  readonly #journal: Journal
  readonly #numbers = new WeakMap<object, number>()
  #count = 0
  /** Id of the session at the server, shortened for display. */
  session: string | undefined

  constructor(id: string, journal: Journal) {
    this.#id = id
    this.#journal = journal
  }

  message(message: Message, from: 'client' | 'server', isHttp: boolean): void {
    const carrier = from === 'client' ? message : exchangeOf(message)
    const exchange = isHttp && carrier ? { exchange: this.#numberOf(carrier) } : {}
    const bytes = Buffer.byteLength(JSON.stringify(message))
    this.#journal.add(this.#id, { kind: 'message', from, message, bytes, ...exchange })
  }

  exchange(given: HttpExchange): void {
    const { sent, ...exchange } = given
    const number = this.#numberOf(sent ?? given)
    // Responses name their exchange; requests do not.
    this.#numbers.set(given, number)
    const id = exchange.responseHeaders?.['mcp-session-id']
    if (id !== undefined) this.session = maskedHeaders({ 'mcp-session-id': id })['mcp-session-id']
    this.#journal.add(this.#id, { kind: 'http', exchange: number, ...exchange })
  }

  /** The number of an exchange, looked up by message or by exchange. */
  #numberOf(carrier: object): number {
    const known = this.#numbers.get(carrier)
    if (known !== undefined) return known
    this.#numbers.set(carrier, ++this.#count)
    return this.#count
  }
}
