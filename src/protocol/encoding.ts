import type { JsonObject, Message } from './messages.js'

/** The JSON of results that are sent again as they are. */
const texts = new WeakMap<object, string | undefined>()

/** Has a result encoded once, however often it is sent. It must not be changed any more. */
export function encodedOnce<T extends JsonObject>(result: T): T {
  texts.set(result, undefined)
  return Object.freeze(result)
}

/** A message, or several, as JSON. */
export function encode(message: Message | readonly Message[]): string {
  if (!('result' in message)) return JSON.stringify(message)
  const { result } = message
  if (!texts.has(result)) return JSON.stringify(message)
  const text = texts.get(result) ?? JSON.stringify(result)
  texts.set(result, text)
  return `{"jsonrpc":"2.0","id":${JSON.stringify(message.id)},"result":${text}}`
}
