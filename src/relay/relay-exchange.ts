import { type IncomingMessage, type RequestOptions, request as requestHttp, type ServerResponse } from 'node:http'
import { request as requestHttps } from 'node:https'
import { PassThrough, type Readable, type Transform } from 'node:stream'
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib'
import { createParser } from 'eventsource-parser'
import { isRequest, messagesIn } from '../protocol/messages.js'
import { eventsIn } from './record-lines.js'
import { headersOf, onwards } from './relay-headers.js'
import type { RelaySessions } from './relay-sessions.js'

/** Maximum recorded size of a body; longer bodies pass completely. */
const mostNoted = 64 * 1024 * 1024

export interface ExchangeOptions {
  /** Sent to the server with every request; replaces headers of the host. */
  headers?: Readonly<Record<string, string>>
  /** Bearer token that hosts send to the relay; it is not passed on. */
  token?: string
}

/** One request to the server, and its response. */
export class RelayExchange {
  readonly #number: number
  readonly #to: URL
  readonly #sessions: RelaySessions
  readonly #options: ExchangeOptions
  readonly #startedAt = performance.now()
  #session = 's0'

  constructor(number: number, to: URL, sessions: RelaySessions, options: ExchangeOptions) {
    this.#number = number
    this.#to = to
    this.#sessions = sessions
    this.#options = options
  }

  /** Resolves when everything that passed has been recorded. */
  carry(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const { headers: own = {}, token } = this.#options
    const headers = onwards(request.rawHeaders, own, token === undefined ? [] : ['authorization'])
    const send = this.#to.protocol === 'https:' ? requestHttps : requestHttp
    // Not by resolving the path, since one that begins with two slashes names another host.
    const { protocol, hostname, port } = this.#to
    const place = { protocol, hostname: hostname.replace(/^\[|\]$/g, ''), port, path: request.url }
    const options: RequestOptions = { ...place, method: request.method, headers, setHost: true }
    const outgoing = send(options)
    const chunks: Buffer[] = []
    let noted = 0
    request.on('data', (chunk: Buffer) => {
      noted += chunk.length
      if (noted <= mostNoted) chunks.push(chunk)
    })
    request.once('end', () => this.#said(request, Buffer.concat(chunks)))
    request.pipe(outgoing)
    response.once('close', () => outgoing.destroy())
    return new Promise((resolve) => {
      outgoing.once('response', (reply) => void this.#passBack(request, reply, response).then(resolve))
      outgoing.once('error', (error) => {
        this.#failed(request, response, error)
        resolve()
      })
    })
  }

  #said(request: IncomingMessage, body: Buffer): void {
    const text = body.toString()
    const messages = messagesIn(text) ?? []
    const isOpening = messages.some((message) => isRequest(message) && message.method === 'initialize')
    this.#session = this.#sessions.nameFor(request.headers['mcp-session-id'] as string | undefined, isOpening)
    if (body.length === 0) return
    for (const event of eventsIn(text, 'client', this.#number)) this.#sessions.add(this.#session, event)
  }

  #passBack(request: IncomingMessage, reply: IncomingMessage, response: ServerResponse): Promise<void> {
    const id = reply.headers['mcp-session-id']
    if (typeof id === 'string') this.#sessions.opened(id, this.#session)
    this.#note(request, {
      status: reply.statusCode ?? 0,
      responseHeaders: headersOf(reply.rawHeaders),
    })
    response.writeHead(reply.statusCode ?? 502, reply.statusMessage, onwards(reply.rawHeaders, {}, []))
    response.flushHeaders()
    reply.once('error', () => response.destroy())
    const noted = this.#listen(reply)
    reply.pipe(response)
    return noted
  }

  /** The address that a server of the older transport announces, if it is on that server. */
  #postsTo(address: string): void {
    if (!URL.canParse(address, this.#to.href)) return
    const url = new URL(address, this.#to)
    if (url.origin === this.#to.origin) this.#sessions.posts.add(url.pathname)
  }

  #failed(request: IncomingMessage, response: ServerResponse, error: NodeJS.ErrnoException): void {
    // The host has gone, so nobody waits for the failed response.
    if (response.destroyed) return
    const failure = error.message || error.code || 'no connection'
    this.#note(request, { failure })
    if (response.headersSent) response.destroy()
    else response.writeHead(502, { 'content-type': 'text/plain' }).end(`The server cannot be reached: ${failure}`)
  }

  #note(
    request: IncomingMessage,
    more: { status?: number; responseHeaders?: Record<string, string>; failure?: string },
  ) {
    this.#sessions.add(this.#session, {
      kind: 'http',
      exchange: this.#number,
      method: request.method ?? '',
      url: `${this.#to.origin}${request.url}`,
      requestHeaders: headersOf(request.rawHeaders),
      tookMs: performance.now() - this.#startedAt,
      ...more,
    })
  }

  /** Records the body of a response as it passes; resolves at its end. */
  #listen(reply: IncomingMessage): Promise<void> {
    const type = reply.headers['content-type'] ?? ''
    const hear = (text: string) => {
      for (const event of eventsIn(text, 'server', this.#number)) this.#sessions.add(this.#session, event)
    }
    if (type.startsWith('text/event-stream')) {
      const parser = createParser({
        onEvent: ({ data, event }) => {
          if (event === 'endpoint') this.#postsTo(data)
          else if (data !== '') hear(data)
        },
        maxBufferSize: mostNoted,
      })
      const decoder = new TextDecoder()
      let isNoted = true
      return untilEnd(
        plain(reply).on('data', (chunk: Buffer) => {
          if (isNoted) isNoted = fed(parser, decoder.decode(chunk, { stream: true }))
        }),
      )
    }
    const chunks: Buffer[] = []
    if (!type.startsWith('application/json')) return Promise.resolve()
    let noted = 0
    const body = plain(reply).on('data', (chunk: Buffer) => {
      noted += chunk.length
      if (noted <= mostNoted) chunks.push(chunk)
    })
    return untilEnd(body).then(() => {
      if (chunks.length > 0 && noted <= mostNoted) hear(Buffer.concat(chunks).toString())
    })
  }
}

/** False if an event is too long to be recorded. */
function fed(parser: ReturnType<typeof createParser>, text: string): boolean {
  try {
    parser.feed(text)
    return true
  } catch {
    return false
  }
}

const untilEnd = (stream: Readable) =>
  new Promise<void>((resolve) => {
    stream.once('end', resolve)
    stream.once('close', resolve)
  })

/** The uncompressed bytes of a body. */
function plain(reply: IncomingMessage): Readable {
  const makers: Readonly<Record<string, () => Transform>> = {
    gzip: createGunzip,
    deflate: createInflate,
    br: createBrotliDecompress,
  }
  const decoder = makers[reply.headers['content-encoding'] ?? '']?.() ?? new PassThrough()
  decoder.on('error', () => {})
  reply.on('data', (chunk: Buffer) => decoder.write(chunk))
  reply.once('end', () => decoder.end())
  // The stream was cut off; the rest will not come.
  reply.once('close', () => decoder.end())
  return decoder
}
