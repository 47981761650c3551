import { get } from 'node:http'
import { connect } from 'node:net'
import fc from 'fast-check'
import { defineKit, template, tool } from 'jexo'
import { fetchHandler } from 'jexo/fetch'
import { serveHttp } from 'jexo/node'
import { globMatcher } from '../../src/kit/glob.js'
import { parseUriTemplate } from '../../src/protocol/uri-template.js'
import { ByteGatherer } from '../../src/transport/byte-gatherer.js'
import { cpuMs } from '../support/cpu.js'
import { anyText } from '../support/text.js'

/** Requests that a caller, or a page in somebody's browser, can send. Each is refused or bounded, and the server continues. */
const kit = defineKit({
  name: 'hives',
  version: '1.0.0',
  parts: [
    tool('weigh_hive', {
      about: 'Weighs it.',
      effect: 'read',
      input: {
        type: 'object',
        properties: {
          hive: { type: 'string', pattern: '^([A-Z]+)+$' },
          list: { type: 'array', uniqueItems: true },
        },
      },
      run: ({ hive }) => `${hive}: 41 kg`,
    }),
    tool('chatter', {
      about: 'Logs much.',
      effect: 'read',
      run: (_, call) => {
        for (let at = 0; at < 12_000; at++) call.log.info('x'.repeat(1000))
        return 'done'
      },
    }),
    template('hives://{a}{b}{c}{d}/{e}.{f}', { name: 'hive', about: 'One.', read: () => 'It.' } as never),
  ],
})
const service = await serveHttp(kit, { limits: { maxSessions: 20, handshakeMs: 800, maxUnreadBytes: 1_000_000 } })
afterAll(() => service.close())

const headers = { 'content-type': 'application/json', accept: 'application/json, text/event-stream' }
const initialize = {
  jsonrpc: '2.0',
  id: 1,
  method: 'initialize',
  params: { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'x', version: '1' } },
}
const post = (body: unknown, more: Record<string, string> = {}, query = '') =>
  fetch(`${service.url}${query}`, {
    method: 'POST',
    headers: { ...headers, ...more },
    body: typeof body === 'string' ? body : JSON.stringify(body),
  })
const session = async (query = '') => {
  const opened = await post(initialize, {}, query)
  const id = String(opened.headers.get('mcp-session-id'))
  await post({ jsonrpc: '2.0', method: 'notifications/initialized' }, { 'mcp-session-id': id })
  return { id, send: (body: unknown) => post(body, { 'mcp-session-id': id }) }
}
const call = (name: string, args: object, id = 2) => ({
  jsonrpc: '2.0',
  id,
  method: 'tools/call',
  params: { name, arguments: args },
})
/** Responds at once: earlier requests do not block the process. */
const isAlive = async () => {
  const start = cpuMs()
  // On a new connection: a kept one may be about to close.
  const status = await new Promise((resolve, reject) => {
    const url = new URL('/health/live', service.url)
    get(url, { agent: false }, (response) => resolve(response.resume().statusCode)).once('error', reject)
  })
  expect(status).toBe(200)
  expect(cpuMs() - start).toBeLessThan(2500)
}
afterEach(isAlive)

const sources: readonly (readonly [name: string, headers: Record<string, string>, status: number])[] = [
  [
    'a picture on a page of another site',
    { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'no-cors', 'sec-fetch-dest': 'image' },
    403,
  ],
  [
    'a link on a page of another site',
    { 'sec-fetch-site': 'cross-site', 'sec-fetch-mode': 'navigate', accept: 'text/html' },
    403,
  ],
  ['a page of another site', { 'sec-fetch-site': 'cross-site', origin: 'https://evil.example' }, 403],
  ['a page of another site that hides', { origin: 'null' }, 403],
  ['a host name that was pointed here', { host: 'evil.example' }, 403],
  ['an address bar', { 'sec-fetch-site': 'none', accept: 'text/html' }, 200],
]
test.each(sources)('%s', async (_name, more, status) => {
  const handle = fetchHandler(kit)
  const answer = await handle(new Request('http://localhost:1/mcp', { headers: more }))
  expect(answer.status).toBe(status)
  await handle.close()
})

test.each([
  ['many stars', `?only=${'*a'.repeat(400)}*`, 200],
  ['more characters than anybody types', `?only=${'a'.repeat(3000)}`, 400],
  ['more names than anybody types', `?only=${'a,'.repeat(200)}`, 400],
])('?only= with %s', async (_name, query, status) => {
  const start = cpuMs()
  expect((await post(initialize, {}, query)).status).toBe(status)
  const sse = await fetch(new URL(`/sse${query}`, service.url), { headers: { accept: '*/*' } })
  expect(sse.status).toBe(status)
  await sse.body?.cancel()
  expect(cpuMs() - start).toBeLessThan(2500)
})

const peculiar = [
  '__proto__',
  'constructor',
  'toString',
  'hasOwnProperty',
  'notifications/__proto__',
  '',
  'x'.repeat(100_000),
]
test.each(peculiar)('a notification and a request with the method %.30j', async (method) => {
  const { send } = await session()
  expect((await send({ jsonrpc: '2.0', method })).status).toBe(202)
  expect((await send({ jsonrpc: '2.0', method, params: { __proto__: { a: 1 } } })).status).toBe(202)
  expect(await (await send({ jsonrpc: '2.0', id: 5, method })).json()).toMatchObject({ error: { code: -32601 } })
  for (const [name, args] of [
    ['tools/call', { name: method }],
    ['prompts/get', { name: method }],
    ['resources/read', { uri: method }],
  ] as const)
    expect(await (await send({ jsonrpc: '2.0', id: 6, method: name, params: args })).json()).toHaveProperty('error')
  expect(await (await send(call('weigh_hive', { hive: 'ML' }))).json()).toHaveProperty('result')
})

const bodies: readonly (readonly [name: string, body: string, status: number])[] = [
  ['over four megabytes', JSON.stringify(call('weigh_hive', { hive: 'x'.repeat(4_200_000) })), 413],
  ['nested deeply', `${'['.repeat(1_000_000)}${']'.repeat(1_000_000)}`, 400],
  [
    'nested deeply in arguments',
    `{"jsonrpc":"2.0","id":1,"method":"tools/call","params":{"name":"weigh_hive","arguments":{"list":${'['.repeat(5000)}${']'.repeat(5000)}}}}`,
    400,
  ],
  ['nested objects', `${'{"a":'.repeat(300_000)}1${'}'.repeat(300_000)}`, 400],
  ['half of JSON', '{"jsonrpc":"2.0","id":1,', 400],
  ['zero bytes', '\u0000'.repeat(1000), 400],
  ['many equal keys', `{"jsonrpc":"2.0",${'"id":1,'.repeat(100_000)}"method":"ping"}`, 200],
]
test.each(bodies)('a body %s', async (_name, body, status) => {
  const { send } = await session()
  expect((await send(body)).status).toBe(status)
})

const values: readonly (readonly [name: string, args: object])[] = [
  ['a text that makes a pattern slow', { hive: `${'A'.repeat(100_000)}!` }],
  [
    'a long list of different items',
    { list: [...Array.from({ length: 100_000 }, (_, at) => ({ at })), { at: 1 }] },
  ],
  [
    'a value instead of a list',
    { list: Object.fromEntries(Array.from({ length: 50_000 }, (_, at) => [`k${at}`, at])) },
  ],
]
test.each(values)('arguments with %s', async (_name, args) => {
  const { send } = await session()
  const start = cpuMs()
  const text = await (await send(call('weigh_hive', args))).text()
  expect(cpuMs() - start).toBeLessThan(3000)
  expect(text).toContain('"isError":true')
  expect(text.length).toBeLessThan(10_000)
})

test('a URI for a template with several variables in a segment', async () => {
  const { send } = await session()
  const start = cpuMs()
  for (const uri of [`hives://${'a'.repeat(3000)}`, `hives://${'a/'.repeat(4000)}`, `hives://${'a.'.repeat(4000)}`])
    expect(
      await (await send({ jsonrpc: '2.0', id: 3, method: 'resources/read', params: { uri } })).json(),
    ).toMatchObject({ error: {} })
  expect(cpuMs() - start).toBeLessThan(3000)
})

test('sessions that never finish initialization make room for others, and end by themselves', async () => {
  for (let at = 0; at < 60; at++) expect((await post(initialize)).status).toBe(200)
  const { send } = await session()
  for (let at = 0; at < 40; at++) await post(initialize)
  expect((await send({ jsonrpc: '2.0', id: 9, method: 'ping' })).status).toBe(200)
  const bare = await post(initialize)
  const id = String(bare.headers.get('mcp-session-id'))
  await new Promise((resolve) => setTimeout(resolve, 2000))
  expect((await post({ jsonrpc: '2.0', id: 3, method: 'ping' }, { 'mcp-session-id': id })).status).toBe(404)
})

test("the client's description of itself is cut", async () => {
  const seen: string[] = []
  const own = await serveHttp(kit, { onHost: (engine) => seen.push(JSON.stringify(engine.client)) })
  const clientInfo = {
    name: 'n'.repeat(500_000),
    version: '1'.repeat(500_000),
    title: 't'.repeat(500_000),
    icons: ['x'.repeat(500_000)],
  }
  const body = JSON.stringify({ ...initialize, params: { ...initialize.params, clientInfo } })
  await fetch(own.url, { method: 'POST', headers, body })
  await own.close()
  expect(seen[0]?.length).toBeLessThan(1000)
})

test('subscriptions and their URIs are limited', async () => {
  const { send } = await session()
  const subscribe = (uri: string, id: number) => ({
    jsonrpc: '2.0',
    id,
    method: 'resources/subscribe',
    params: { uri },
  })
  const answers = await Promise.all(
    Array.from({ length: 200 }, (_, at) => send(subscribe(`hives://abcd/${at}.x`, at + 10))),
  )
  expect(answers.every(({ status }) => status === 200)).toBe(true)
  expect(await (await send(subscribe(`hives://abcd/${'x'.repeat(9000)}.x`, 1))).json()).toMatchObject({
    error: { code: -32602 },
  })
})

test('a stream without a reader is ended', async () => {
  const { id } = await session()
  const body = JSON.stringify(call('chatter', {}))
  const socket = connect(Number(new URL(service.url).port), '127.0.0.1')
  socket.write(
    `POST /mcp HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nAccept: application/json, text/event-stream\r\nMcp-Session-Id: ${id}\r\nContent-Length: ${body.length}\r\n\r\n${body}`,
  )
  socket.pause()
  const before = process.memoryUsage().rss
  await new Promise((resolve) => setTimeout(resolve, 1500))
  expect(process.memoryUsage().rss - before).toBeLessThan(150_000_000)
  socket.resume()
  socket.on('error', () => {})
  await new Promise((resolve) => socket.once('close', resolve))
})

test('a body in millions of chunks takes as much memory as its bytes', () => {
  const gathered = new ByteGatherer()
  const before = process.memoryUsage().arrayBuffers
  const one = Uint8Array.of(97)
  for (let at = 0; at < 4_000_000; at++) gathered.push(one)
  expect(gathered.length).toBe(4_000_000)
  expect(new TextDecoder().decode(gathered.bytes)).toBe('a'.repeat(4_000_000))
  expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(60_000_000)
})

/** The regular expressions that globs and templates used before: the same matches, but without a time limit. */
test('globs match like their regular expressions', () => {
  const piece = fc.array(fc.constantFrom('a', 'b', '*', '.', '_'), { maxLength: 8 }).map((all) => all.join(''))
  fc.assert(
    fc.property(piece, piece, (glob, name) => {
      const expression = new RegExp(
        `^${glob
          .split('*')
          .map((text) => text.replaceAll('.', '\\.'))
          .join('.*')}$`,
      )
      expect(globMatcher(glob)(name)).toBe(expression.test(name))
    }),
    { numRuns: 3000, seed: 17 },
  )
})

test('templates find the variables that they were expanded with', () => {
  const value = anyText({ minLength: 1, maxLength: 6 })
  fc.assert(
    fc.property(
      fc.constantFrom(
        'a://{x}/{y}',
        'a://{x}-{y}/z',
        'a://h/{x}{?y}',
        'a://{x}{/y}',
        'a://{x}/f{.y}',
        'a://h{;x,y}',
      ),
      value,
      value,
      (source, x, y) => {
        const parsed = parseUriTemplate(source)
        const uri = parsed.expand({ x, y })
        const found = parsed.match(uri)
        expect(found && parsed.expand(found)).toBe(uri)
      },
    ),
    { numRuns: 2000, seed: 17 },
  )
})
