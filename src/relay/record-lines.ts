import { messagesIn } from '../protocol/messages.js'
import type { Side, TapeEvent } from '../tape/entry.js'
import { LineSplitter } from '../transport/line-splitter.js'

const longestLineBytes = 512 * 1024 * 1024

/** Records lines that pass through, without changing them. */
export function lineNotes(add: (event: TapeEvent) => void, from: Side): LineSplitter {
  return new LineSplitter(
    longestLineBytes,
    (line) => {
      for (const event of eventsIn(line, from)) add(event)
    },
    () => add({ kind: 'stray', from, text: `a line of more than ${longestLineBytes} bytes` }),
  )
}

/** The messages in a text from the wire; other text is reported unchanged. */
export function eventsIn(text: string, from: Side, exchange?: number): TapeEvent[] {
  const messages = messagesIn(text) ?? []
  const carried = exchange === undefined ? {} : { exchange }
  if (messages.length === 0) return [{ kind: 'stray', from, text: text.slice(0, 10_000) }]
  if (messages.length === 1 && messages[0])
    return [{ kind: 'message', from, message: messages[0], bytes: Buffer.byteLength(text), ...carried }]
  return messages.map((message) => {
    return { kind: 'message', from, message, bytes: Buffer.byteLength(JSON.stringify(message)), ...carried }
  })
}
