import type { IncomingMessage, Server, ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { accessErrors } from '../access/errors.js'
import type { RunningKit } from '../engine/running-kit.js'
import type { RunningOptions } from '../engine/running-options.js'
import { isKit, type Kit } from '../kit/kit.js'
import { ByteGatherer } from './byte-gatherer.js'
import { transportErrors } from './errors.js'
import { isLoopback } from './http/checks.js'
import { type EndpointOptions, HttpEndpoint } from './http/endpoint.js'
import { BodyTooLong, type HttpRequest, type HttpResponse } from './http/exchange.js'
import { runOnNode } from './node-run.js'

export interface NodeHandlerOptions extends EndpointOptions, Partial<RunningOptions> {}
export interface HttpOptions extends NodeHandlerOptions {
  /** Port; 0 for any free one. */
  port?: number
  /** Address to bind. Default: 127.0.0.1. */
  host?: string
  /** Public URL of the endpoint; its host name is accepted. */
  publicUrl?: string
  /** Allows unauthenticated calls from other machines. */
  isOpenToAnyone?: boolean
  /** Time for running calls to finish when the server closes, in milliseconds. Default: 5,000. */
  drainMs?: number
}

/** A request handler for Node's HTTP servers and frameworks; `next` is called for other paths. */
export interface NodeHandler {
  (request: IncomingMessage, response: ServerResponse, next?: () => void): void
  close(): Promise<void>
}
/** A running HTTP server of a kit. */
export interface HttpService {
  /** URL of the endpoint, such as `http://127.0.0.1:4870/mcp`. */
  readonly url: string
  readonly server: Server
  /** Stops accepting requests, waits for running calls, and closes. `cut` names those that did not end in time: `tool weigh_hive`. */
  close(): Promise<{ readonly cut: readonly string[] }>
}

/**
 * Mounts a kit in an existing Node application (Transports, "Streamable HTTP").
 *
 * @example app.use(nodeHandler(kit, { path: '/mcp' }))
 */
export function nodeHandler(kit: Kit, options: NodeHandlerOptions = {}): NodeHandler {
  const running = runOnNode(kit, options)
  running.start()
  const endpoint = new HttpEndpoint(running, options)
  return Object.assign(handlerOf(endpoint), {
    close: async () => {
      await endpoint.drain(0)
      await running.close()
    },
  })
}

/** Serves a kit over HTTP. Rejects if the port is in use, or if other machines could call without authentication (Transports, "Streamable HTTP"). */
export async function serveHttp(given: Kit | RunningKit, options: HttpOptions = {}): Promise<HttpService> {
  const { host = '127.0.0.1', port = 0, publicUrl, token, access, drainMs = 5000 } = options
  const isPublic = !isLoopback(host) || publicUrl !== undefined
  if (isPublic && token === undefined && access === undefined && !options.isOpenToAnyone)
    throw transportErrors.publicWithoutAccess(publicUrl ?? host)
  if (access && access.authorizationServers.length > 0 && publicUrl === undefined && !isLoopback(host))
    throw accessErrors.accessWithoutUrl()
  const publicHosts = publicUrl === undefined ? [] : [new URL(publicUrl).host]
  const allowedHosts = [...publicHosts, ...(options.allowedHosts ?? [])]
  const running = isKit(given) ? runOnNode(given, options) : given
  const tools = [...running.index.tools.values()]
  await options.store?.prepare?.(tools.some(({ part }) => part.durable))
  const endpoint = new HttpEndpoint(running, { ...options, allowedHosts })
  // Loaded here, since a packed kit on stdio would have to load it too.
  const { createServer } = await import('node:http')
  const server = createServer({ requestTimeout: 60_000 }, handlerOf(endpoint))
  const address = await listen(server, host, port)
  running.start()
  const shown = address.family === 'IPv6' ? `[${address.address}]` : address.address
  return {
    url: `http://${shown}:${address.port}${endpoint.path}`,
    server,
    close: async () => {
      const closed = new Promise((resolve) => server.close(resolve))
      const cut = await endpoint.drain(drainMs)
      server.closeAllConnections()
      await closed
      await running.close()
      return { cut }
    },
  }
}

function listen(server: Server, host: string, port: number): Promise<AddressInfo> {
  return new Promise((resolve, reject) => {
    server.once('error', (error: NodeJS.ErrnoException) => {
      reject(error.code === 'EADDRINUSE' ? transportErrors.portTaken(host, port) : error)
    })
    server.listen(port, host, () => resolve(server.address() as AddressInfo))
  })
}

function handlerOf(endpoint: HttpEndpoint) {
  return (
    request: IncomingMessage & { originalUrl?: string },
    response: ServerResponse,
    next?: () => void,
  ): void => {
    const url = request.originalUrl ?? request.url ?? '/'
    const at = url.indexOf('?')
    const path = at < 0 ? url : url.slice(0, at)
    if (next && !endpoint.owns(path)) return next()
    const reply = endpoint.handle(new NodeRequest(request, path, at < 0 ? '' : url.slice(at)))
    const { maxUnreadBytes } = endpoint.limits
    if (!(reply instanceof Promise)) return write(response, reply, maxUnreadBytes)
    reply.then(
      (given) => write(response, given, maxUnreadBytes),
      (error) => failed(response, error),
    )
  }
}

/** Logs an unexpected error; the caller receives status 500. Does nothing if the connection is closed. */
function failed(response: ServerResponse, error: unknown): void {
  if (response.destroyed) return
  process.stderr.write(`jexo: error: ${error instanceof Error ? error.stack : error}\n`)
  if (!response.headersSent) write(response, { status: 500, headers: {} }, 0)
}

/** A class, because V8 creates a hidden class for each object literal with an accessor, which retains its request until the next full garbage collection. */
class NodeRequest implements HttpRequest {
  readonly method: string
  readonly path: string
  readonly query: string
  readonly #request: IncomingMessage
  readonly header: HttpRequest['header']

  constructor(request: IncomingMessage, path: string, query: string) {
    this.method = request.method ?? 'GET'
    this.path = path
    this.query = query
    this.#request = request
    this.header = (name) => request.headers[name] as string | undefined
  }

  get address(): string | undefined {
    return this.#request.socket.remoteAddress
  }

  body(maxBytes: number): Promise<string> {
    return readBody(this.#request, maxBytes)
  }
}

function readBody(request: IncomingMessage & { body?: unknown }, maxBytes: number): Promise<string> {
  // Middleware may have parsed the body already; the stream is then empty.
  if (request.body !== undefined && request.readableEnded) {
    return Promise.resolve(typeof request.body === 'string' ? request.body : JSON.stringify(request.body))
  }
  return new Promise((resolve, reject) => {
    const gathered = new ByteGatherer()
    request.on('data', (chunk: Buffer) => {
      if (gathered.length + chunk.length <= maxBytes) return gathered.push(chunk)
      gathered.clear()
      request.pause()
      reject(new BodyTooLong())
    })
    request.on('end', () => {
      const { bytes } = gathered
      resolve(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength).toString())
    })
    request.on('error', reject)
    // 'close' follows every request, so creating an error with a stack trace would be wasted work.
    request.on('close', () => {
      if (!request.complete) reject(new Error('the connection was closed before the body was whole'))
    })
  })
}

/** How long a reader may read nothing of its pending data. */
const stalledMs = 60_000

function write(response: ServerResponse, reply: HttpResponse, maxUnreadBytes: number): void {
  const { status, headers, body, stream } = reply
  if (!stream) {
    const text = body ?? ''
    // A refused body is not read to its end, so the connection is closed.
    if (status === 413) headers.connection = 'close'
    if (status !== 204) headers['content-length'] = String(Buffer.byteLength(text))
    response.writeHead(status, headers)
    response.end(text)
    return
  }
  response.writeHead(status, headers)
  response.flushHeaders()
  // A reader that leaves too much unread, or reads nothing for too long, is disconnected; it can resume.
  const letGo = () => response.destroy()
  let stalled: NodeJS.Timeout | undefined
  let taken = 0
  const watch = () => {
    taken = response.socket?.bytesWritten ?? 0
    stalled = setTimeout(() => {
      if (response.socket?.bytesWritten === taken) letGo()
      else watch()
    }, stalledMs)
    stalled.unref()
  }
  response.on('drain', () => {
    clearTimeout(stalled)
    stalled = undefined
  })
  const detach = stream({
    write: (text) => {
      if (response.destroyed) return
      if (response.writableLength > maxUnreadBytes) return void letGo()
      if (!response.write(text) && stalled === undefined) watch()
    },
    end: () => response.end(),
  })
  response.once('close', () => {
    clearTimeout(stalled)
    detach()
  })
}
