import {
  Agent,
  createServer,
  request as httpRequest,
  type IncomingMessage,
  type Server,
  type ServerResponse,
} from 'node:http'
import { transportErrors } from '../../transport/errors.js'
import type { Release } from './release.js'

/** How long a request waits for a release that is restarting. */
const patienceMs = 10_000
/** The release has ended sessions that were idle for longer. */
const idleMs = 31 * 60_000

interface Session {
  release: Release
  seenAt: number
  /** Its open streams; a session with one is in use. */
  open: number
}

/**
 * The port of a deployment: passes every request to a release. A session stays with the release that opened it; new
 * sessions go to the current one.
 */
export class Router {
  readonly #sessions = new Map<string, Session>()
  readonly #server: Server
  // A new connection for each request: a kept one may close just when it is used, and the request would be lost.
  readonly #agent = new Agent({ keepAlive: false, maxSockets: Number.POSITIVE_INFINITY })
  readonly #sweep: NodeJS.Timeout
  current: Release | undefined

  constructor() {
    this.#server = createServer((request, response) => void this.#pass(request, response))
    // Streams may be silent for long; the releases send the heartbeats.
    this.#server.requestTimeout = 0
    this.#sweep = setInterval(() => this.#forgetIdle(), 60_000)
    this.#sweep.unref()
  }

  listen(host: string, port: number): Promise<number> {
    return new Promise((resolve, reject) => {
      this.#server.once('error', (error: NodeJS.ErrnoException) =>
        reject(error.code === 'EADDRINUSE' ? transportErrors.portTaken(host, port) : error),
      )
      this.#server.listen(port, host, () => resolve((this.#server.address() as { port: number }).port))
    })
  }

  sessionsOf(release: Release): number {
    return [...this.#sessions.values()].filter((session) => session.release === release).length
  }

  /** Sessions of a release are unknown from now on, so that their hosts open new ones. */
  forget(release: Release): void {
    for (const [id, session] of this.#sessions) if (session.release === release) this.#sessions.delete(id)
  }

  async close(): Promise<void> {
    clearInterval(this.#sweep)
    const closed = new Promise((resolve) => this.#server.close(resolve))
    this.#server.closeAllConnections()
    this.#agent.destroy()
    await closed
  }

  async #pass(request: IncomingMessage, response: ServerResponse): Promise<void> {
    const id = sessionIn(request)
    const session = id === undefined ? undefined : this.#sessions.get(id)
    if (session) session.seenAt = Date.now()
    const release = session?.release ?? this.current
    if (!release || !(release.isUp || (await release.whenUp(patienceMs)))) return unavailable(response)
    release.inFlight++
    if (session) session.open++
    response.once('close', () => {
      release.inFlight--
      if (session) session.open--
    })
    this.#forward(request, response, release, id)
  }

  #forward(request: IncomingMessage, response: ServerResponse, release: Release, id: string | undefined): void {
    const { method, url, headers } = request
    const onward = httpRequest({
      agent: this.#agent,
      host: '127.0.0.1',
      port: release.port,
      method: method ?? 'GET',
      path: url ?? '/',
      headers: { ...headers, 'x-forwarded-for': forwardedFor(request) },
    })
    onward.on('response', (reply) => {
      this.#learn(reply, request, response, release, id)
      response.writeHead(reply.statusCode ?? 502, withoutHops(reply.headers))
      response.flushHeaders()
      reply.pipe(response)
      reply.once('error', () => response.destroy())
    })
    // The body is only read once a release accepts it.
    onward.once('socket', (socket) => socket.once('connect', () => request.pipe(onward)))
    onward.once('error', (error: NodeJS.ErrnoException) => {
      if (response.headersSent) return void response.destroy()
      if (error.code !== 'ECONNREFUSED') return unavailable(response)
      // The release ended just now and received nothing; its successor gets the request.
      void this.#instead(release).then((other) =>
        other && !response.destroyed ? this.#forward(request, response, other, id) : unavailable(response),
      )
    })
    response.once('close', () => onward.destroy())
  }

  /** The release for a request that failed because its release ended: the current release if the old one was to end, otherwise the same one after its restart. */
  async #instead(release: Release): Promise<Release | undefined> {
    release.lost()
    const other = release.isStopping && this.current !== undefined ? this.current : release
    return other.isUp || (await other.whenUp(patienceMs)) ? other : undefined
  }

  /** Learns the release of a session from the traffic: the id in a response, a DELETE, a 404, the first event of the older transport. */
  #learn(
    reply: IncomingMessage,
    { method }: IncomingMessage,
    response: ServerResponse,
    release: Release,
    id: string | undefined,
  ): void {
    const status = reply.statusCode ?? 0
    const opened = reply.headers['mcp-session-id']
    if (typeof opened === 'string') this.#sessions.set(opened, { release, seenAt: Date.now(), open: 0 })
    if (id !== undefined && (status === 404 || (method === 'DELETE' && status < 300))) this.#sessions.delete(id)
    const isStream = String(reply.headers['content-type']).startsWith('text/event-stream')
    if (method !== 'GET' || id !== undefined || !isStream) return
    reply.once('data', (chunk: Buffer) => {
      const found = /[?&]session=([\w-]+)/.exec(String(chunk))?.[1]
      if (found === undefined) return
      // Such a session ends with its stream.
      this.#sessions.set(found, { release, seenAt: Date.now(), open: 1 })
      response.once('close', () => this.#sessions.delete(found))
    })
  }

  #forgetIdle(): void {
    const since = Date.now() - idleMs
    for (const [id, { seenAt, open }] of this.#sessions) if (open === 0 && seenAt < since) this.#sessions.delete(id)
  }
}

function sessionIn({ headers, url = '' }: IncomingMessage): string | undefined {
  const header = headers['mcp-session-id']
  if (typeof header === 'string') return header
  return /[?&]session=([\w-]+)/.exec(url)?.[1]
}

function unavailable(response: ServerResponse): void {
  if (response.headersSent) return void response.destroy()
  response.writeHead(503, { 'content-type': 'application/json', 'retry-after': '1' })
  response.end(
    '{"jsonrpc":"2.0","error":{"code":-32000,"message":"No release is running at the moment; try again."}}',
  )
}

const forwardedFor = ({ headers, socket }: IncomingMessage) =>
  [headers['x-forwarded-for'], socket.remoteAddress].filter(Boolean).join(', ')

/** Hop-by-hop headers are not passed on. */
function withoutHops({
  connection: _,
  'keep-alive': __,
  'transfer-encoding': ___,
  ...rest
}: IncomingMessage['headers']) {
  return rest
}
