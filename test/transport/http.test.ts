import { createServer, request } from 'node:http'
import type { AddressInfo } from 'node:net'
import { fetchHandler } from 'jexo/fetch'
import { connect, nodeHandler, serveHttp } from 'jexo/node'
import { RunningKit } from '../../src/engine/running-kit.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { HttpEndpoint } from '../../src/transport/http/endpoint.js'
import type { Loose } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const both = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }
const hello = (revision = '2025-11-25') => ({
  jsonrpc: '2.0',
  id: 0,
  method: 'initialize',
  params: { protocolVersion: revision, capabilities: {}, clientInfo: { name: 't', version: '1' } },
})
type Send = (init: RequestInit & { path?: string }) => Promise<Response>

/** The endpoint on a real socket, and through fetchHandler alone: both must behave in the same way. */
const ways: [string, (options?: object) => Promise<{ send: Send; close: () => Promise<unknown> }>][] = [
  [
    'on a port',
    async (options) => {
      const service = await serveHttp(sampleKit(), options)
      const { origin } = new URL(service.url)
      return { send: ({ path = '/mcp', ...init }) => fetch(origin + path, init), close: () => service.close() }
    },
  ],
  [
    'by fetchHandler',
    async (options) => {
      const handler = fetchHandler(sampleKit(), options)
      const send: Send = ({ path = '/mcp', ...init }) => handler(new Request(`http://localhost:4870${path}`, init))
      return { send, close: () => handler.close() }
    },
  ],
]

async function opened(send: Send, revision = '2025-11-25') {
  const first = await send({ method: 'POST', headers: both, body: JSON.stringify(hello(revision)) })
  const session = { 'mcp-session-id': String(first.headers.get('mcp-session-id')) }
  const post = (body: unknown, headers = {}) =>
    send({
      method: 'POST',
      headers: { ...both, ...session, ...headers },
      body: typeof body === 'string' ? body : JSON.stringify(body),
    })
  await post({ jsonrpc: '2.0', method: 'notifications/initialized' })
  return { session, post, first }
}

async function events(response: Response, count: number): Promise<Loose[]> {
  const found: Loose[] = []
  let text = ''
  const decoder = new TextDecoder()
  for await (const chunk of response.body ?? []) {
    text += decoder.decode(chunk, { stream: true })
    found.length = 0
    for (const block of text.split('\n\n').slice(0, -1)) {
      const data = /^data: (.+)$/m.exec(block)?.[1]
      if (data) found.push({ id: /^id: (.+)$/m.exec(block)?.[1], ...JSON.parse(data) })
    }
    if (found.length >= count) break
  }
  return found
}

describe.each(ways)('the endpoint %s', (_way, start) => {
  let send: Send
  let close: () => Promise<unknown>
  beforeAll(async () => ({ send, close } = await start()))
  afterAll(() => close())

  test('opens a session and responds with JSON if nothing is streamed', async () => {
    const { first, post } = await opened(send)
    expect(first.headers.get('content-type')).toBe('application/json')
    expect(first.headers.get('mcp-session-id')).toMatch(/^[\x21-\x7e]{20,}$/)
    expect((await post({ jsonrpc: '2.0', method: 'notifications/initialized' })).status).toBe(202)
    const answer = await post({
      jsonrpc: '2.0',
      id: 1,
      method: 'tools/call',
      params: { name: 'add', arguments: { a: 1 } },
    })
    expect(answer.status).toBe(200)
    expect(await answer.json()).toMatchObject({ id: 1, result: { structuredContent: { sum: 2 } } })
  })

  test('streams progress and then the response, and ends', async () => {
    const { post } = await opened(send)
    const params = { name: 'steps', _meta: { progressToken: 't' } }
    const answer = await post({ jsonrpc: '2.0', id: 2, method: 'tools/call', params })
    expect(answer.headers.get('content-type')).toBe('text/event-stream')
    expect(answer.headers.get('cache-control')).toBe('no-cache, no-transform')
    const text = await answer.text()
    expect(text.match(/^data: \{/gm)).toHaveLength(4)
    expect(text).toMatch(/^id: \S+\nretry: \d+\ndata: \n\n/)
  })

  test.each<[string, RequestInit & { path?: string }, number]>([
    ['another path', { method: 'POST', path: '/other', headers: both, body: '{}' }, 404],
    ['a method it lacks', { method: 'PUT', headers: both, body: '{}' }, 405],
    [
      'an Accept without event streams',
      { method: 'POST', headers: { ...both, accept: 'application/json' }, body: '{}' },
      406,
    ],
    [
      'a body that is not JSON by its type',
      { method: 'POST', headers: { ...both, 'content-type': 'text/plain' }, body: '{}' },
      415,
    ],
    ['a body that does not parse', { method: 'POST', headers: both, body: '{' }, 400],
    [
      'a message without session',
      { method: 'POST', headers: both, body: '{"jsonrpc":"2.0","id":1,"method":"ping"}' },
      400,
    ],
    [
      'an unknown session',
      {
        method: 'POST',
        headers: { ...both, 'mcp-session-id': 'x' },
        body: '{"jsonrpc":"2.0","id":1,"method":"ping"}',
      },
      404,
    ],
    [
      'a page of another origin',
      { method: 'POST', headers: { ...both, origin: 'https://evil.example' }, body: JSON.stringify(hello()) },
      403,
    ],
    [
      'an opaque origin',
      { method: 'POST', headers: { ...both, origin: 'null' }, body: JSON.stringify(hello()) },
      403,
    ],
    ['a GET that does not take events', { method: 'GET', headers: { accept: 'application/json' } }, 406],
    ['a GET without session', { method: 'GET', headers: { accept: 'text/event-stream' } }, 400],
  ])('refuses %s', async (_what, init, status) => {
    const answer = await send(init)
    expect(answer.status).toBe(status)
    const { error, id } = (await answer.json()) as Loose
    expect(error.message.length).toBeGreaterThan(10)
    expect(id).toBeUndefined()
  })

  test('answers a body that cannot be parsed with its error code', async () => {
    expect(await (await send({ method: 'POST', headers: both, body: '{' })).json()).toMatchObject({
      error: { code: -32700 },
    })
  })

  test('checks the version header against the session', async () => {
    const { post } = await opened(send, '2025-06-18')
    const ping = { jsonrpc: '2.0', id: 1, method: 'ping' }
    expect((await post(ping, { 'mcp-protocol-version': '2025-06-18' })).status).toBe(200)
    expect((await post(ping, { 'mcp-protocol-version': '2025-11-25' })).status).toBe(400)
    expect((await post(ping, { 'mcp-protocol-version': 'x' })).status).toBe(400)
    expect((await post(ping)).status).toBe(200)
  })

  test('accepts batches in 2025-03-26 only', async () => {
    const batch = [
      { jsonrpc: '2.0', id: 1, method: 'ping' },
      { jsonrpc: '2.0', id: 2, method: 'ping' },
    ]
    const older = await opened(send, '2025-03-26')
    expect(await (await older.post(batch)).json()).toHaveLength(2)
    expect((await older.post([{ jsonrpc: '2.0', method: 'notifications/x' }])).status).toBe(202)
    const newer = await opened(send)
    const refused = await newer.post(batch)
    expect(refused.status).toBe(400)
    expect(await refused.json()).toMatchObject({ error: { code: -32600 } })
  })

  test('ends a session by DELETE', async () => {
    const { session, post } = await opened(send)
    expect((await send({ method: 'DELETE', headers: session })).status).toBe(204)
    expect((await post({ jsonrpc: '2.0', id: 1, method: 'ping' })).status).toBe(404)
  })

  test('sends messages without a request on the standing stream, including earlier ones', async () => {
    const { session, post } = await opened(send)
    await post({ jsonrpc: '2.0', id: 1, method: 'resources/subscribe', params: { uri: 'sample://counter' } })
    for (const id of [2, 3]) await post({ jsonrpc: '2.0', id, method: 'tools/call', params: { name: 'count' } })
    const stream = await send({ method: 'GET', headers: { ...session, accept: 'text/event-stream' } })
    expect(await events(stream, 1)).toMatchObject([{ method: 'notifications/resources/updated' }])
  })

  test('resumes the stream that an event belongs to', async () => {
    const { session, post } = await opened(send)
    const params = { name: 'steps', _meta: { progressToken: 't' } }
    const all = await events(await post({ jsonrpc: '2.0', id: 2, method: 'tools/call', params }), 4)
    const from = (id: string) =>
      send({ method: 'GET', headers: { ...session, accept: 'text/event-stream', 'last-event-id': id } })
    expect(await events(await from(all[1].id), 2)).toStrictEqual(all.slice(2))
    expect((await from('s99-1')).status).toBe(400)
  })

  test('ends a cancelled request with an empty stream', async () => {
    const { post } = await opened(send)
    const waiting = post({ jsonrpc: '2.0', id: 5, method: 'tools/call', params: { name: 'wait' } })
    await new Promise((resolve) => setTimeout(resolve, 50))
    await post({ jsonrpc: '2.0', method: 'notifications/cancelled', params: { requestId: 5 } })
    const answer = await waiting
    expect(answer.headers.get('content-type')).toBe('text/event-stream')
    expect(await answer.text()).toBe('')
  })
})

describe.each(ways)('limits %s', (_way, start) => {
  test('are each reported with the fix', async () => {
    const limits = { maxBytes: 400, maxSessions: 1, maxInFlight: 1 }
    const { send, close } = await start({ limits })
    const { post } = await opened(send)
    expect((await post({ jsonrpc: '2.0', id: 1, method: 'ping', params: { x: 'x'.repeat(400) } })).status).toBe(413)
    const full = await send({ method: 'POST', headers: both, body: JSON.stringify(hello()) })
    expect([full.status, full.headers.get('retry-after')]).toStrictEqual([503, '5'])
    const controller = new AbortController()
    const waiting = post({ jsonrpc: '2.0', id: 5, method: 'tools/call', params: { name: 'wait' } })
    await new Promise((resolve) => setTimeout(resolve, 50))
    expect((await post({ jsonrpc: '2.0', id: 6, method: 'ping' })).status).toBe(429)
    await post({ jsonrpc: '2.0', method: 'notifications/cancelled', params: { requestId: 5 } })
    await waiting
    controller.abort()
    await close()
  })

  test('require a token if one is set, except for health', async () => {
    const { send, close } = await start({ token: 'right-token' })
    const body = JSON.stringify(hello())
    const withToken = (authorization: string) => send({ method: 'POST', headers: { ...both, authorization }, body })
    const none = await send({ method: 'POST', headers: both, body })
    expect([none.status, none.headers.get('www-authenticate')]).toStrictEqual([401, 'Bearer'])
    expect((await withToken('Bearer wrong-token')).status).toBe(401)
    expect((await withToken('Bearer right-token')).status).toBe(200)
    expect((await send({ path: '/health/live' })).status).toBe(200)
    await close()
  })

  test('stateless: every POST stands alone, no GET, no DELETE', async () => {
    const { send, close } = await start({ stateless: true })
    const body = JSON.stringify({
      jsonrpc: '2.0',
      id: 1,
      method: 'tools/call',
      params: { name: 'add', arguments: { a: 4 } },
    })
    const post = (headers: object) => send({ method: 'POST', headers: { ...both, ...headers }, body })
    const newest = await post({ 'mcp-protocol-version': '2025-11-25' })
    expect(newest.headers.get('mcp-session-id')).toBeNull()
    expect(((await newest.json()) as Loose).result.structuredContent).toStrictEqual({ sum: 5 })
    expect(((await (await post({})).json()) as Loose).result.structuredContent).toBeUndefined()
    expect((await post({ 'mcp-protocol-version': 'x' })).status).toBe(400)
    const streamed = JSON.stringify({
      jsonrpc: '2.0',
      id: 2,
      method: 'tools/call',
      params: { name: 'steps', _meta: { progressToken: 1 } },
    })
    const headers = { ...both, 'mcp-protocol-version': '2025-11-25' }
    const text = await (await send({ method: 'POST', headers, body: streamed })).text()
    expect(text.match(/^data: \{/gm)).toHaveLength(4)
    expect(text).not.toContain('retry:')
    for (const method of ['GET', 'DELETE']) expect((await send({ method, headers: both })).status).toBe(405)
    await close()
  })

  test('keep CORS off unless an origin is allowed', async () => {
    const origin = 'https://board.example'
    const off = await start()
    expect((await off.send({ method: 'OPTIONS' })).status).toBe(405)
    await off.close()
    const { send, close } = await start({ allowedOrigins: [origin] })
    expect(
      (await send({ method: 'OPTIONS', headers: { origin } })).headers.get('access-control-allow-headers'),
    ).toContain('mcp-session-id')
    const answer = await send({ method: 'POST', headers: { ...both, origin }, body: JSON.stringify(hello()) })
    expect(answer.headers.get('access-control-expose-headers')).toContain('Mcp-Session-Id')
    await close()
  })
})

test('an unknown Host is refused', async () => {
  const service = await serveHttp(sampleKit())
  const status = await new Promise((resolve) => {
    const { hostname, port } = new URL(service.url)
    const asked = request(
      { hostname, port, path: '/mcp', method: 'GET', headers: { host: 'rebound.example' } },
      (answer) => {
        answer.resume()
        resolve(answer.statusCode)
      },
    )
    asked.end()
  })
  expect(status).toBe(403)
  await service.close()
})

test('a public server without access control is refused in one sentence', async () => {
  await expect(serveHttp(sampleKit(), { host: '0.0.0.0' })).rejects.toThrow(
    /requires no authentication; set JEXO_TOKEN/,
  )
  await expect(serveHttp(sampleKit(), { publicUrl: 'https://apiary.example/mcp' })).rejects.toMatchObject({
    code: 'public-without-access',
  })
})

test('a kit is mounted beside the routes of an application', async () => {
  const mounted = nodeHandler(sampleKit())
  const server = createServer((incoming, response) =>
    mounted(incoming, response, () => response.end('the own route')),
  )
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  expect(await (await fetch(`${base}/hives`)).text()).toBe('the own route')
  const link = await connect(`${base}/mcp`)
  expect((await link.call('add', { a: 1 })).structuredContent).toStrictEqual({ sum: 2 })
  await link.close()
  await mounted.close()
  server.closeAllConnections()
  server.close()
})

test('a stateless POST leaves nothing behind, streamed, cancelled or plain', async () => {
  const running = new RunningKit(sampleKit(), { environment: {}, validator: interpretingValidator })
  const endpoint = new HttpEndpoint(running, { stateless: true })
  const post = (body: object) =>
    endpoint.handle({
      method: 'POST',
      path: '/mcp',
      query: '',
      header: (name) => ({ ...both, host: 'localhost', 'mcp-protocol-version': '2025-11-25' })[name],
      body: async () => JSON.stringify(body),
    })
  const call = (name: string) => ({
    jsonrpc: '2.0',
    id: 1,
    method: 'tools/call',
    params: { name, _meta: { progressToken: 1 } },
  })
  for (const body of [
    call('steps'),
    call('quiet'),
    { jsonrpc: '2.0', method: 'notifications/x' },
    { jsonrpc: '1.0' },
  ])
    await post(body)
  const ended = new Promise<void>(
    (end) =>
      void Promise.resolve(post(call('slow_steps'))).then((answer) => answer.stream?.({ write: () => {}, end })),
  )
  await ended
  expect(running.sessions.size).toBe(0)
  await endpoint.drain(0)
})
