import { createParser } from 'eventsource-parser'
import { isJexoError } from '../errors.js'
import { isResponse, type Message, messagesIn, type RequestId } from '../protocol/messages.js'
import { transportErrors } from './errors.js'
import { maxResponseBytes } from './http-responses.js'

/** Delay before a stream is requested again, if the server did not give one. */
const defaultRetryMs = 1000
export const mostRetryMs = 60_000
/** State of reading an event stream, which may take several responses. */
export interface Reading {
  lastEventId: string | undefined
  retryMs: number
  hasResponse: boolean
}

export const newReading = (hasResponse: boolean): Reading => ({
  lastEventId: undefined,
  retryMs: defaultRetryMs,
  hasResponse,
})

export interface ReadingOptions {
  /** The request whose response is expected. */
  id: RequestId | undefined
  /** Aborted when the wire is closed. */
  signal: AbortSignal
  /** Called with messages that cannot be used. */
  unusable: Parameters<typeof messagesIn>[1]
  received(message: Message): void
}

/** Reads the events of a response to its end. */
export async function readEvents(response: Response, reading: Reading, options: ReadingOptions): Promise<void> {
  const { id, signal, unusable, received } = options
  const parser = createParser({
    onEvent: (event) => {
      if (event.id !== undefined) reading.lastEventId = event.id
      if (event.data === '') return
      for (const message of messagesIn(event.data, unusable) ?? []) {
        if (id !== undefined && isResponseTo(message, id)) reading.hasResponse = true
        received(message)
      }
    },
    onRetry: (ms) => {
      reading.retryMs = Math.min(ms, mostRetryMs)
    },
    maxBufferSize: maxResponseBytes,
    onError: (error) => {
      if (error.type === 'max-buffer-size-exceeded') throw transportErrors.responseTooLong(maxResponseBytes)
    },
  })
  const decoder = new TextDecoder()
  try {
    for await (const chunk of response.body ?? []) parser.feed(decoder.decode(chunk, { stream: true }))
  } catch (error) {
    await response.body?.cancel().catch(() => {})
    if (isJexoError(error)) throw error
    if (!signal.aborted && reading.lastEventId === undefined && !reading.hasResponse) throw error
  }
}

/** Waits, at most until the signal is aborted. */
export function pause(ms: number, signal: AbortSignal): Promise<void> {
  return new Promise((resolve) => {
    if (signal.aborted) return resolve()
    const timer = setTimeout(resolve, ms)
    signal.addEventListener(
      'abort',
      () => {
        clearTimeout(timer)
        resolve()
      },
      { once: true },
    )
  })
}

export const isResponseTo = (message: Message, id: RequestId) => isResponse(message) && message.id === id
