import type { AddressInfo } from 'node:net'
import { onNode } from '../on-node.js'

/** Waits for the redirect of the browser from the authorization server. */
export interface Loopback {
  readonly redirectUri: string
  /** The URL of the redirect. Rejects when the time is over, or the signal is aborted. */
  returned(): Promise<URL>
  close(): void
}

const page = (text: string) =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>Sign-in</title><body style="font: 16px system-ui; margin: 3em">${text}</body></html>`

const textFor = (url: URL) =>
  url.searchParams.has('error')
    ? 'The sign-in was refused. You can close this page.'
    : 'You are signed in. You can close this page.'

/** Listens on a free port of this machine for one request to one path. */
export async function listenForReturn(limitMs: number, signal?: AbortSignal): Promise<Loopback> {
  const { createServer } = await onNode<typeof import('node:http')>('node:http')
  const path = `/${crypto.randomUUID()}`
  let arrived: (url: URL) => void = () => {}
  let failed: (error: Error) => void = () => {}
  const returned = new Promise<URL>((resolve, reject) => {
    arrived = resolve
    failed = reject
  })
  returned.catch(() => {})
  const server = createServer((request, response) => {
    const url = URL.canParse(request.url ?? '', 'http://127.0.0.1')
      ? new URL(request.url ?? '', 'http://127.0.0.1')
      : undefined
    const isReturn =
      request.method === 'GET' &&
      url?.pathname === path &&
      (url.searchParams.has('code') || url.searchParams.has('error'))
    const headers = {
      'content-type': 'text/html; charset=utf-8',
      'cache-control': 'no-store',
      'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
    }
    response.writeHead(isReturn ? 200 : 404, headers)
    response.end(page(isReturn ? textFor(url) : 'There is nothing here.'))
    if (isReturn && url) arrived(url)
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(0, '127.0.0.1', resolve)
  })
  const timer = setTimeout(
    () => failed(new Error(`nobody signed in within ${Math.round(limitMs / 1000)} s`)),
    limitMs,
  )
  const aborted = () => failed(new Error('it was interrupted'))
  if (signal?.aborted) aborted()
  signal?.addEventListener('abort', aborted)
  return {
    redirectUri: `http://127.0.0.1:${(server.address() as AddressInfo).port}${path}`,
    returned: () => returned,
    close: () => {
      clearTimeout(timer)
      signal?.removeEventListener('abort', aborted)
      server.close()
      server.closeAllConnections()
    },
  }
}
