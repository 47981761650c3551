import { createParser } from 'eventsource-parser'
import { messageOf } from '../../errors.js'
import { isObject } from '../../protocol/messages.js'
import { textOf } from '../../transport/http-responses.js'
import { parsed } from './child-talk.js'
import { mismatch } from './pattern.js'
import type { HttpExpectation, HttpStep } from './requirement.js'
import { Talk, type WireServer } from './talk.js'

export type Headers = Readonly<Record<string, string>>

/** A server at a Streamable HTTP endpoint (Transports, "Streamable HTTP"). */
export const httpServer = (url: string, headers: Headers = {}): WireServer => ({
  transport: 'http',
  open: async () => new HttpTalk(url, headers),
})

/** A server with the older transport with two endpoints; the URL is that of its GET. */
export const twoEndpointServer = (url: string, headers: Headers = {}): WireServer => ({
  transport: 'two-endpoint',
  open: async () => {
    const talk = new TwoEndpointTalk(url, headers)
    await talk.start()
    return talk
  },
})

/** Time limit for a response that is not a stream. */
const mostMs = 30_000
const postHeaders = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }

class HttpTalk extends Talk {
  readonly #url: string
  readonly #headers: Headers
  readonly #aborter = new AbortController()
  #session: string | undefined
  #revision: string | undefined

  constructor(url: string, headers: Headers) {
    super()
    this.#url = url
    this.#headers = headers
  }

  send(value: unknown): Promise<void> {
    return this.sendText(JSON.stringify(value))
  }

  async sendText(text: string): Promise<void> {
    const headers = { ...this.#headers, ...postHeaders, ...this.#sessionHeaders() }
    const late = new AbortController()
    const timer = setTimeout(() => late.abort(new Error(`none within ${mostMs / 1000} s`)), mostMs)
    try {
      const response = await this.#reached(
        fetch(this.#url, {
          redirect: 'manual',
          method: 'POST',
          headers,
          body: text,
          signal: AbortSignal.any([this.#aborter.signal, late.signal]),
        }),
      )
      this.#session ??= response.headers.get('mcp-session-id') ?? undefined
      // A stream may last.
      if (isStream(response)) return void this.#follow(response)
      const body = await this.#reached(textOf(response))
      if (body !== '') this.receive(parsed(body))
    } finally {
      clearTimeout(timer)
    }
  }

  /** Messages that belong to no request arrive on a standing stream. */
  override opened(revision: string): void {
    this.#revision = revision
    const headers = { ...this.#headers, ...this.#sessionHeaders(), accept: 'text/event-stream' }
    void fetch(this.#url, { redirect: 'manual', headers, signal: this.#aborter.signal }).then(
      (response) => (isStream(response) ? this.#follow(response) : response.body?.cancel()),
      () => {},
    )
  }

  override async request(
    step: HttpStep,
    expected: HttpExpectation,
    fill: (value: unknown) => unknown,
  ): Promise<string | undefined> {
    const { method, path, body, headers, isBare } = step
    const filled = (value: unknown) => fillSession(fill(value), this.#session ?? '', this.#revision ?? '')
    const text = body === undefined ? undefined : asText(filled(body))
    const response = await this.#reached(
      fetch(path === undefined ? this.#url : new URL(String(filled(path)), this.#url), {
        redirect: 'manual',
        method,
        headers: { ...(isBare ? {} : this.#headers), ...(filled(headers) as Headers) },
        ...(text === undefined ? {} : { body: text }),
        signal: AbortSignal.timeout(10_000),
      }),
    )
    const given = {
      status: response.status,
      headers: Object.fromEntries(response.headers),
      body: expected.body === undefined ? undefined : parsed(await textOf(response)),
    }
    if (expected.body === undefined) await response.body?.cancel()
    return mismatch(filled(expected), given, 'response')
  }

  async close(): Promise<void> {
    if (this.#session !== undefined) {
      const headers = { ...this.#headers, ...this.#sessionHeaders() }
      const signal = AbortSignal.timeout(5_000)
      await fetch(this.#url, { redirect: 'manual', method: 'DELETE', headers, signal }).then(
        (response) => response.body?.cancel(),
        () => {},
      )
    }
    this.#aborter.abort()
  }

  /** The response; without one, the session is over, so that no check waits in it. */
  #reached<Value>(response: Promise<Value>): Promise<Value> {
    return response.catch((error: Error) => {
      const reason = messageOf(error.cause ?? error)
      this.ended(reason)
      throw new Error(`no response (${reason})`, { cause: error })
    })
  }

  #sessionHeaders(): Headers {
    return {
      ...(this.#session === undefined ? {} : { 'mcp-session-id': this.#session }),
      ...(this.#revision === undefined ? {} : { 'mcp-protocol-version': this.#revision }),
    }
  }

  async #follow(response: Response): Promise<void> {
    await readEvents(response, ({ data }) => data !== '' && this.receive(parsed(data)))
  }
}

class TwoEndpointTalk extends Talk {
  readonly #url: string
  readonly #headers: Headers
  readonly #aborter = new AbortController()
  #endpoint = ''

  constructor(url: string, headers: Headers) {
    super()
    this.#url = url
    this.#headers = headers
  }

  async start(): Promise<void> {
    const headers = { ...this.#headers, accept: 'text/event-stream' }
    const response = await fetch(this.#url, { redirect: 'manual', headers, signal: this.#aborter.signal })
    await new Promise<void>((resolve, reject) => {
      if (!isStream(response)) return reject(new Error(`${this.#url} answered ${response.status} without a stream`))
      const done = readEvents(response, ({ event, data }) => {
        if (event !== 'endpoint') return this.receive(parsed(data))
        this.#endpoint = new URL(data, this.#url).href
        resolve()
      })
      void done.then(() => this.ended('its stream ended'))
    })
  }

  send(value: unknown): Promise<void> {
    return this.sendText(JSON.stringify(value))
  }

  async sendText(text: string): Promise<void> {
    const headers = { ...this.#headers, 'content-type': 'application/json' }
    const response = await fetch(this.#endpoint, { redirect: 'manual', method: 'POST', headers, body: text })
    await response.body?.cancel()
  }

  async close(): Promise<void> {
    this.#aborter.abort()
  }
}

const isStream = (response: Response) =>
  response.ok && (response.headers.get('content-type') ?? '').startsWith('text/event-stream')

async function readEvents(response: Response, hear: (event: { event?: string | undefined; data: string }) => void) {
  const parser = createParser({ onEvent: hear })
  const decoder = new TextDecoder()
  try {
    for await (const chunk of response.body ?? []) parser.feed(decoder.decode(chunk, { stream: true }))
  } catch {
    // After a broken stream no more messages arrive; the checks that wait for them report it.
  }
}

const asText = (body: unknown) => (typeof body === 'string' ? body : JSON.stringify(body))

function fillSession(value: unknown, session: string, revision: string): unknown {
  if (typeof value === 'string') return value.replace('{{session}}', session).replace('{{revision}}', revision)
  if (Array.isArray(value)) return value.map((item) => fillSession(item, session, revision))
  if (!isObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, inner]) => [key, fillSession(inner, session, revision)]),
  )
}
