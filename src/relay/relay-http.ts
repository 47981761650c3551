import { createServer, type IncomingMessage } from 'node:http'
import type { AddressInfo } from 'node:net'
import { staticToken } from '../access/check.js'
import type { TapeEvent } from '../tape/entry.js'
import { transportErrors } from '../transport/errors.js'
import { isLoopback, isOriginAllowed } from '../transport/http/checks.js'
import type { HttpResponse } from '../transport/http/exchange.js'
import { bearerOf, Guard } from '../transport/http/guard.js'
import { type ExchangeOptions, RelayExchange } from './relay-exchange.js'
import { RelaySessions } from './relay-sessions.js'

export interface HttpRelay {
  /** URL for the host to use instead of the server's. */
  readonly url: string
  close(): Promise<void>
}
export interface HttpRelayOptions extends ExchangeOptions {
  host: string
  port: number
}

const anyonesOwn = { allowedHosts: [], allowedOrigins: [], token: undefined }

/**
 * A proxy between hosts and a server over HTTP. Requests, responses and event streams pass unchanged; `add` receives the messages by session. Rejects with a `JexoError` if the port is taken.
 */
export async function relayHttp(
  to: URL,
  options: HttpRelayOptions,
  add: (target: string, event: TapeEvent) => void,
): Promise<HttpRelay> {
  const sessions = new RelaySessions(to.href, add)
  let exchanges = 0
  const underWay = new Set<Promise<void>>()
  const server = createServer((request, response) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '')
    if (isLoopback(options.host) && !isLoopback(host)) {
      response.writeHead(403).end('This relay is available on this machine only.')
      return
    }
    // It adds credentials to requests, so pages open in a browser must not be able to use it.
    const { origin } = request.headers
    if (origin !== undefined && !isOriginAllowed(origin, request.headers.host, anyonesOwn)) {
      response.writeHead(403).end('This relay does not accept requests from pages of other origins.')
      return
    }
    if (request.headers['sec-fetch-site'] === 'cross-site') {
      response.writeHead(403).end('This relay does not accept requests from pages of other sites.')
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
      response.writeHead(404).end(`This relay forwards ${to.pathname} only.`)
      return
    }
    const noted = new RelayExchange(++exchanges, to, sessions, options).carry(request, response)
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
