import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { proxyPage } from './proxy-page.js'

export interface ViewProxy {
  /** URL for `openFrame`. */
  readonly url: string
  close(): Promise<void>
}
export interface ViewProxyOptions {
  /** Origins of the pages that show views, such as `http://127.0.0.1:4871`. */
  hostOrigins: readonly string[]
  /** Default: any free port. */
  port?: number
}

/** Serves the page of the outer frame on a separate port of this machine, since another port is another origin. */
export async function serveViewProxy({ hostOrigins, port = 0 }: ViewProxyOptions): Promise<ViewProxy> {
  const server = createServer((request, response) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '')
    const url = new URL(request.url ?? '/', 'http://127.0.0.1')
    if (host !== '127.0.0.1' && host !== 'localhost') return void response.writeHead(403).end()
    if (request.method !== 'GET' || url.pathname !== '/') return void response.writeHead(404).end()
    const { html, headers } = proxyPage(url.searchParams.get('view') ?? '', hostOrigins)
    response.writeHead(200, headers).end(html)
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  const { port: taken } = server.address() as AddressInfo
  return {
    url: `http://127.0.0.1:${taken}/`,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve())
        server.closeAllConnections()
      }),
  }
}
