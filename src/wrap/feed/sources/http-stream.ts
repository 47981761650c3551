import { createParser } from 'eventsource-parser'
import { messageOf } from '../../../errors.js'
import { fetchSameOrigin } from '../../../transport/http-responses.js'
import { LineSplitter } from '../../../transport/line-splitter.js'
import { feedErrors } from '../errors.js'
import type { PushingSource } from '../source.js'
import { type FeedAddress, plainAddress, shownUrl, valuesAt } from './address.js'
import { keepConnected } from './keep-connected.js'
import { type MessageOptions, maxMessageBytes } from './limits.js'
import { messagePusher, topicMaker, unnamed } from './topic-of.js'
import { valueInText } from './value-in.js'

const headersMs = 10_000

/**
 * Reads server-sent events or JSON lines over HTTP, depending on the content type. The topic of a message is the name of its event, or is derived from its fields.
 * Reconnects if the connection is lost, and resumes after the last event.
 *
 * @example sharedFeed(httpStreamSource('https://hives.example/events', { topic: '{hive}' }), { name: 'scales', channels })
 */
export function httpStreamSource(given: string | FeedAddress, { topic }: MessageOptions = {}): PushingSource {
  const address = typeof given === 'string' ? plainAddress(given) : given
  const topicOf = topicMaker(topic)
  return {
    open(sink, opening) {
      const { url, password } = valuesAt(address, opening.settings)
      let lastEventId = ''
      const push = messagePusher(sink, topicOf)
      const take = (text: string, own: string) => push(valueInText(text), own)
      const connect = async (connected: () => void, signal: AbortSignal) => {
        const response = await responseOf(url, password, lastEventId, signal)
        const type = response.headers.get('content-type') ?? ''
        connected()
        if (!type.startsWith('text/event-stream')) return readLines(response, take)
        await readEvents(response, (event) => {
          if (event.id !== undefined) lastEventId = event.id
          take(event.data, event.event ?? unnamed)
        })
        return 'the server ended the stream'
      }
      const unreachable = (reason: string) => feedErrors.feedUnreachable(shownUrl(url), reason)
      return keepConnected(connect, sink, opening, unreachable)
    },
  }
}

async function responseOf(
  url: string,
  token: string | undefined,
  lastEventId: string,
  signal: AbortSignal,
): Promise<Response> {
  const ending = new AbortController()
  const timer = setTimeout(() => ending.abort(new Error(`no response within ${headersMs} ms`)), headersMs)
  try {
    const response = await fetchSameOrigin(fetch, new URL(url), {
      method: 'GET',
      headers: {
        accept: 'text/event-stream, application/x-ndjson;q=0.9, application/jsonl;q=0.9, application/json;q=0.5',
        ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
        ...(lastEventId === '' ? {} : { 'last-event-id': lastEventId }),
      },
      signal: AbortSignal.any([signal, ending.signal]),
    })
    if (response.ok && response.status !== 204) return response
    await response.body?.cancel().catch(() => {})
    throw new Error(`it responded with HTTP ${response.status}`)
  } catch (error) {
    throw new Error(reasonOf(error))
  } finally {
    clearTimeout(timer)
  }
}

/** Node only reports "fetch failed"; the reason is in the cause. */
const reasonOf = (error: unknown): string => {
  const { cause } = error as { cause?: { code?: string } }
  return cause?.code ?? messageOf(error)
}

async function readEvents(
  response: Response,
  onEvent: (event: { id?: string | undefined; event?: string | undefined; data: string }) => void,
): Promise<void> {
  const parser = createParser({ onEvent, maxBufferSize: maxMessageBytes })
  const decoder = new TextDecoder()
  for await (const chunk of response.body ?? []) parser.feed(decoder.decode(chunk, { stream: true }))
}

async function readLines(response: Response, take: (text: string, own: string) => void): Promise<string> {
  const lines = new LineSplitter(
    maxMessageBytes,
    (line) => line.trim() !== '' && take(line, unnamed),
    () => {},
  )
  for await (const chunk of response.body ?? []) lines.push(chunk)
  lines.end()
  return 'the server ended the stream'
}
