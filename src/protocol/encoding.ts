import type { JsonObject, Message, RequestId } from './messages.js'
import type { ContentBlock, ToolResult } from './types.js'

/** The JSON of results that are sent repeatedly without changes. */
const texts = new WeakMap<object, string | undefined>()

/** Has a result encoded only once, however often it is sent. It must not be changed afterwards. */
export function encodedOnce<T extends JsonObject>(result: T): T {
  texts.set(result, undefined)
  return Object.freeze(result)
}

/** A tool's result whose text is the JSON of its structured content (Tools, "Structured Content"). The JSON is created once and used for both. */
export class StructuredResult implements ToolResult {
  [key: string]: unknown
  readonly content: ContentBlock[]
  readonly structuredContent: JsonObject
  readonly #text: string

  constructor(value: JsonObject) {
    this.#text = JSON.stringify(value)
    this.content = [{ type: 'text', text: this.#text }]
    this.structuredContent = value
  }

  get json(): string {
    return `{"content":[{"type":"text","text":${JSON.stringify(this.#text)}}],"structuredContent":${this.#text}}`
  }
}

/** The JSON of one message or several. */
export function encode(message: Message | readonly Message[]): string {
  if (!('result' in message)) return JSON.stringify(message)
  const { result } = message
  if (result instanceof StructuredResult) return responseOf(message.id, result.json)
  if (!texts.has(result)) return JSON.stringify(message)
  const text = texts.get(result) ?? JSON.stringify(result)
  texts.set(result, text)
  return responseOf(message.id, text)
}

const responseOf = (id: RequestId, result: string): string =>
  `{"jsonrpc":"2.0","id":${typeof id === 'number' ? id : JSON.stringify(id)},"result":${result}}`
