import type { Message } from '../protocol/messages.js'

/** One HTTP request and the head of its response. Header names are in lower case. */
export interface HttpExchange {
  method: string
  url: string
  requestHeaders: Readonly<Record<string, string>>
  status?: number
  responseHeaders?: Readonly<Record<string, string>>
  /** Time until the head of the response arrived, in milliseconds. */
  tookMs: number
  /** Why there is no response. */
  failure?: string
  /** The message in the request's body. */
  sent?: Message
}

const carriers = new WeakMap<Message, HttpExchange>()

/** The exchange whose response contained a message; undefined for other messages, or if nobody listens to exchanges. */
export const exchangeOf = (received: Message): HttpExchange | undefined => carriers.get(received)

/** Records the exchange whose response contained a message. */
export const carriedBy = (received: Message, exchange: HttpExchange): void => {
  carriers.set(received, exchange)
}
