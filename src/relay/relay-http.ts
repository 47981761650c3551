import {
  createServer,
  type IncomingMessage,
  type RequestOptions,
  request as requestHttp,
  type ServerResponse,
} from 'node:http'
import { request as requestHttps } from 'node:https'
import type { AddressInfo } from 'node:net'
import { PassThrough, type Readable, type Transform } from 'node:stream'
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib'
import { createParser } from 'eventsource-parser'
import { staticToken } from '../access/check.js'
import { isRequest, messagesIn } from '../protocol/messages.js'
import type { TapeEvent } from '../tape/entry.js'
import { transportErrors } from '../transport/errors.js'
import { isLoopback, isOriginAllowed } from '../transport/http/checks.js'
import type { HttpResponse } from '../transport/http/exchange.js'
import { bearerOf, Guard } from '../transport/http/guard.js'
import { eventsIn } from './record-lines.js'

export interface HttpRelay {
  /** URL for the host to use instead of the server's. */
  readonly url: string
  close(): Promise<void>
}
export interface HttpRelayOptions {
  host: string
  port: number
  /** Sent to the server with every request; replaces headers of the host. */
  headers?: Readonly<Record<string, string>>
  /** Bearer token that hosts send to the relay; it is not passed on. */
  token?: string
}

/** Maximum recorded size of a body; longer bodies pass completely. */
const mostNoted = 64 * 1024 * 1024

const anyonesOwn = { allowedHosts: [], allowedOrigins: [], token: undefined }

/** Headers of a single connection, which are not passed on. */
const hopByHop = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
  'host',
])

/**
 * A proxy between hosts and a server over HTTP. Requests, responses and event streams pass unchanged; `add` receives the messages by session. Rejects with a `JexoError` if the port is taken.
 */
export async function relayHttp(
  to: URL,
  options: HttpRelayOptions,
  add: (target: string, event: TapeEvent) => void,
): Promise<HttpRelay> {
  const sessions = new Sessions(to.href, add)
  let exchanges = 0
  const underWay = new Set<Promise<void>>()
  const server = createServer((request, response) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '')
    if (isLoopback(options.host) && !isLoopback(host)) {
      response.writeHead(403).end('This relay answers on this machine only.')
      return
    }
    // It adds credentials to requests, so pages open in a browser must not be able to use it.
    const { origin } = request.headers
    if (origin !== undefined && !isOriginAllowed(origin, request.headers.host, anyonesOwn)) {
      response.writeHead(403).end('This relay is not for pages of other origins.')
      return
    }
    if (request.headers['sec-fetch-site'] === 'cross-site') {
      response.writeHead(403).end('This relay is not for pages of other sites.')
      return
    }
    const refused = refusedToken(request, options.token)
    if (refused) {
      response.writeHead(refused.status, refused.headers).end(refused.body)
      return
    }
    // Its headers are sent only to the endpoint and to the address that the older transport names, not to other paths
    // of the server.
    const [path = ''] = (request.url ?? '').split('?')
    if (path !== to.pathname && !sessions.posts.has(path)) {
      response.writeHead(404).end(`This relay passes on ${to.pathname} only.`)
      return
    }
    const noted = new Exchange(++exchanges, to, sessions, options).carry(request, response)
    underWay.add(noted)
    void noted.finally(() => underWay.delete(noted))
  })
  // Event streams stay open as long as their session.
  server.requestTimeout = 0
  const address = await new Promise<AddressInfo>((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) =>
      reject(error.code === 'EADDRINUSE' ? transportErrors.portTaken(options.host, options.port) : error),
    )
    server.listen(options.port, options.host, () => resolve(server.address() as AddressInfo))
  })
  const shown = address.family === 'IPv6' ? `[${address.address}]` : address.address
  return {
    url: `http://${shown}:${address.port}${to.pathname}${to.search}`,
    close: async () => {
      const closed = new Promise((resolve) => server.close(resolve))
      server.closeAllConnections()
      await closed
      // The rest of the body is recorded too.
      await Promise.all(underWay)
    },
  }
}

/** Sessions by the server's session id; each is a target of the tape. */
class Sessions {
  readonly #label: string
  readonly #add: (target: string, event: TapeEvent) => void
  readonly #names = new Map<string, string>()
  /** Paths that the server announced for messages of hosts, in the older transport. */
  readonly posts = new Set<string>()
  #count = 0

  constructor(label: string, add: (target: string, event: TapeEvent) => void) {
    this.#label = label
    this.#add = add
  }

  /** The name of exchanges outside any session: `initialize` opens one, others have none. */
  nameFor(id: string | undefined, isOpening: boolean): string {
    const known = id === undefined ? undefined : this.#names.get(id)
    if (known) return known
    const name = id === undefined && !isOpening ? 's0' : `s${++this.#count}`
    if (id !== undefined) this.#names.set(id, name)
    if (name !== 's0' || !this.#names.has('')) {
      if (name === 's0') this.#names.set('', name)
      const text = name === 's0' ? 'without a session' : `session ${this.#count}`
      this.#add(name, { kind: 'state', state: 'open', text: `${this.#label}, ${text}`, label: this.#label })
    }
    return name
  }

  opened(id: string, name: string): void {
    if (!this.#names.has(id)) this.#names.set(id, name)
  }

  add(name: string, event: TapeEvent): void {
    this.#add(name, event)
  }
}

/** One request to the server, and its response. */
class Exchange {
  readonly #number: number
  readonly #to: URL
  readonly #sessions: Sessions
  readonly #options: HttpRelayOptions
  readonly #startedAt = performance.now()
  #session = 's0'

  constructor(number: number, to: URL, sessions: Sessions, options: HttpRelayOptions) {
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

/** Headers to pass on, in their order and original spelling. */
function onwards(
  raw: readonly string[],
  over: Readonly<Record<string, string>>,
  without: readonly string[],
): Record<string, string | string[]> {
  const replaced = new Set([...Object.keys(over), ...without].map((name) => name.toLowerCase()))
  const headers: Record<string, string | string[]> = {}
  for (const [name, value] of pairsOf(raw)) {
    if (hopByHop.has(name.toLowerCase()) || replaced.has(name.toLowerCase())) continue
    const before = headers[name]
    headers[name] = before === undefined ? value : [before, value].flat()
  }
  return { ...headers, ...over }
}

const pairsOf = (raw: readonly string[]): [string, string][] =>
  Array.from({ length: raw.length / 2 }, (_, at) => [raw[at * 2] ?? '', raw[at * 2 + 1] ?? ''])

const headersOf = (raw: readonly string[]): Record<string, string> =>
  Object.fromEntries(pairsOf(raw).map(([name, value]) => [name.toLowerCase(), value]))

/** The response to a caller without the relay's token. */
function refusedToken(
  { headers, method = 'GET', url = '/' }: IncomingMessage,
  token: string | undefined,
): HttpResponse | undefined {
  if (token === undefined) return undefined
  const given = bearerOf(headers.authorization)
  const check = staticToken(token)
  const verdict = check.identify({ token: given, header: () => undefined, address: undefined, resource: '' })
  if ('identity' in verdict) return undefined
  const guard = new Guard({ access: check, token: undefined, publicUrl: undefined, path: '/' })
  const header = (name: string) => headers[name] as string | undefined
  return guard.refuse({ method, path: url, query: '', header, body: async () => '' }, verdict)
}
