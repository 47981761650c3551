import { defineKit, resource, tool } from 'jexo'
import { limitRate } from 'jexo/layers'
import { type HttpService, serveHttp } from 'jexo/node'
import { redisStore } from 'jexo/redis'
import { z } from 'zod'
import { memoryStore } from '../../src/store/memory/memory-store.js'
import type { Store } from '../../src/store/store.js'
import type { Loose } from '../support/raw-session.js'
import { type RedisServer, redisServer } from '../support/redis.js'
import { SseReader } from '../support/sse.js'

let redis: RedisServer
beforeAll(async () => {
  redis = await redisServer()
})
afterAll(() => redis.remove())

const gates = new Map<string, () => void>()
const cancelled: string[] = []

/** Each process has its own kit, as if it had loaded the same file. */
function apiary() {
  const kit = defineKit({
    name: 'apiary',
    version: '1.0.0',
    parts: [
      tool('where', { about: 'Says nothing of interest.', effect: 'read', input: z.object({}), run: () => 'here' }),
      tool('count', {
        about: 'Counts.',
        effect: 'read',
        input: z.object({ gate: z.string() }),
        run: async ({ gate }, call) => {
          call.log.debug('counting')
          call.progress(1, 2)
          call.signal.addEventListener('abort', () => cancelled.push(gate))
          await new Promise<void>((go) => gates.set(gate, go))
          call.progress(2, 2)
          return 'counted'
        },
      }),
      tool('ask', {
        about: 'Asks.',
        effect: 'read',
        input: z.object({}),
        run: async (_, call) => {
          const answer = await call.askPerson('Which hive?', z.object({ hive: z.string() }))
          return answer.action === 'accept' ? answer.content.hive : answer.action
        },
      }),
      tool('weigh', {
        about: 'Weighs.',
        effect: 'change',
        input: z.object({}),
        run: (_, call) => {
          call.resourceUpdated('hives://ML-01')
          return 'weighed'
        },
      }),
      tool('grow', {
        about: 'Adds a part.',
        effect: 'change',
        input: z.object({}),
        run: () => {
          kit.replace([...kit.parts])
          return 'grown'
        },
      }),
      tool('limited', {
        about: 'May be called three times.',
        effect: 'read',
        input: z.object({}),
        layers: [limitRate({ calls: 3, by: 'everyone' })],
        run: () => 'called',
      }),
      resource('hives://ML-01', { name: 'hive', about: 'A hive.', read: () => 'ML-01' }),
    ],
  })
  return kit
}

const json = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }

/** A client that may send each message to another process. */
class Roamer {
  readonly headers: Record<string, string>
  #id = 100

  constructor(session: string) {
    this.headers = { 'mcp-session-id': session, 'mcp-protocol-version': '2025-11-25' }
  }

  static async open(at: HttpService, capabilities: object = { elicitation: {} }): Promise<Roamer> {
    const params = { protocolVersion: '2025-11-25', capabilities, clientInfo: { name: 'roamer', version: '1' } }
    const body = JSON.stringify({ jsonrpc: '2.0', id: 0, method: 'initialize', params })
    const response = await fetch(at.url, { method: 'POST', headers: json, body })
    await response.text()
    return new Roamer(String(response.headers.get('mcp-session-id')))
  }

  send(at: HttpService, message: object): Promise<Response> {
    const body = JSON.stringify({ jsonrpc: '2.0', ...message })
    return fetch(at.url, { method: 'POST', headers: { ...json, ...this.headers }, body })
  }

  async ask(at: HttpService, method: string, params: object = {}): Promise<Loose> {
    const response = await this.send(at, { id: this.#id++, method, params })
    return response.json()
  }

  call(at: HttpService, name: string, args: object = {}): Promise<Loose> {
    return this.ask(at, 'tools/call', { name, arguments: args })
  }

  /** A call whose response arrives on a stream. */
  begin(at: HttpService, id: number, name: string, args: object, meta: object = { progressToken: id }) {
    const params = { name, arguments: args, _meta: meta }
    const body = JSON.stringify({ jsonrpc: '2.0', id, method: 'tools/call', params })
    return SseReader.open(at.url, { method: 'POST', headers: { ...json, ...this.headers }, body })
  }

  listen(at: HttpService, lastEventId?: string): Promise<SseReader> {
    const more: Record<string, string> = lastEventId === undefined ? {} : { 'last-event-id': lastEventId }
    return SseReader.open(at.url, { headers: { accept: 'text/event-stream', ...this.headers, ...more } })
  }
}

const makers: [string, () => () => Store][] = [
  [
    'memory',
    () => {
      const one = memoryStore()
      return () => one
    },
  ],
  ['redis', () => () => redisStore(redis.url, { prefix: `test-${Math.random()}` })],
]

describe.each(makers)('sessions in %s', (name, make) => {
  let services: HttpService[] = []
  let next: () => Store
  const start = async (options: object = {}) => {
    const service = await serveHttp(apiary(), { store: next(), report: () => {}, ...options })
    services.push(service)
    const ready = new URL('/health/ready', service.url)
    while ((await fetch(ready)).status !== 200) await new Promise((go) => setTimeout(go, 20))
    return service
  }
  const three = async () => [await start(), await start(), await start()] as const
  beforeEach(() => {
    next = make()
    if (name === 'redis') {
      const prefix = `test-${Math.random()}`
      next = () => redisStore(redis.url, { prefix })
    }
  })
  afterEach(async () => {
    await Promise.all(services.map((service) => service.close()))
    services = []
  })

  test('every process serves every session, and sees the changes of others', async () => {
    const [a, b, c] = await three()
    const client = await Roamer.open(a)
    expect((await client.send(b, { method: 'notifications/initialized' })).status).toBe(202)
    expect((await client.call(c, 'where')).result.content[0].text).toBe('here')
    await client.ask(b, 'logging/setLevel', { level: 'debug' })
    const stream = await client.begin(a, 1, 'count', { gate: 'log' })
    expect((await stream.message(({ method }) => method === 'notifications/message')).params.data).toBe('counting')
    gates.get('log')?.()
    await stream.over()
  })

  test('a session that ends in one process ends in all', async () => {
    const [a, b, c] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    const standing = await client.listen(b)
    const deleted = await fetch(c.url, { method: 'DELETE', headers: client.headers })
    expect(deleted.status).toBe(204)
    await standing.over()
    for (const service of [a, b, c])
      expect((await client.send(service, { id: 1, method: 'ping' })).status).toBe(404)
  })

  test('a question of a call can be answered through another process', async () => {
    const [a, b, c] = await three()
    const client = await Roamer.open(a)
    await client.send(b, { method: 'notifications/initialized' })
    const stream = await client.begin(b, 7, 'ask', {})
    const question = await stream.message(({ method }) => method === 'elicitation/create')
    const result = { action: 'accept', content: { hive: 'ML-07' } }
    expect((await client.send(c, { id: question.id, result })).status).toBe(202)
    const answer = await stream.message(({ id, result }) => id === 7 && result)
    expect(answer.result.content[0].text).toBe('ML-07')
  })

  test('a call is cancelled from another process', async () => {
    const [a, b] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    const stream = await client.begin(a, 8, 'count', { gate: 'cancel' })
    await stream.message(({ method }) => method === 'notifications/progress')
    await client.send(b, { method: 'notifications/cancelled', params: { requestId: 8, reason: 'enough' } })
    await stream.over()
    expect(cancelled).toContain('cancel')
    expect(stream.messages.filter(({ id }) => id === 8)).toStrictEqual([])
  })

  test('a broken stream is resumed in another process, without gaps or duplicates', async () => {
    const [a, b] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    const stream = await client.begin(a, 9, 'count', { gate: 'resume' })
    await stream.message(({ method }) => method === 'notifications/progress')
    stream.cut()
    const rest = await client.listen(b, stream.lastId)
    gates.get('resume')?.()
    const answer = await rest.message(({ id }) => id === 9)
    expect(answer.result.content[0].text).toBe('counted')
    await rest.over()
    expect(rest.messages.map(({ id, params }) => id ?? params.progress)).toStrictEqual([2, 9])
    // All of it once more, in a third process, after the end.
    const again = await client.listen(services[2] as HttpService, stream.lastId)
    await again.over()
    expect(again.messages).toStrictEqual(rest.messages)
  })

  test('updates and list changes reach a standing stream in any process, each once', async () => {
    const [a, b, c] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    await client.ask(b, 'resources/subscribe', { uri: 'hives://ML-01' })
    const standing = await client.listen(c)
    await client.call(a, 'weigh')
    await client.call(b, 'weigh')
    await client.call(b, 'grow')
    await standing.message(({ method }) => method === 'notifications/prompts/list_changed')
    const updates = () => standing.messages.filter(({ method }) => method === 'notifications/resources/updated')
    expect(updates()).toHaveLength(2)
    await client.ask(a, 'resources/unsubscribe', { uri: 'hives://ML-01' })
    await client.call(b, 'weigh')
    await client.call(b, 'grow')
    await standing.message(
      () => standing.messages.filter(({ method }) => method.endsWith('prompts/list_changed')).length === 2,
    )
    expect(updates()).toHaveLength(2)
  })

  test('messages without a listener wait, and are delivered by the process that gets one', async () => {
    const [a, b, c] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    await client.ask(a, 'resources/subscribe', { uri: 'hives://ML-01' })
    const first = await client.listen(b)
    await client.call(a, 'weigh')
    await first.message(({ method }) => method === 'notifications/resources/updated')
    first.cut()
    await new Promise((go) => setTimeout(go, 200))
    await client.call(b, 'weigh')
    await client.call(c, 'weigh')
    const second = await client.listen(c, first.lastId)
    await second.message(({ method }) => method === 'notifications/resources/updated')
    expect(second.messages).toHaveLength(1)
  })

  test('limits of sessions and calls hold for all processes together', async () => {
    const [a, b, c] = [
      await start({ limits: { maxSessions: 2 } }),
      await start({ limits: { maxSessions: 2 } }),
      await start(),
    ]
    const clients = [await Roamer.open(a), await Roamer.open(b)]
    for (const client of clients) await client.send(c, { method: 'notifications/initialized' })
    const params = { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'x', version: '1' } }
    const body = JSON.stringify({ jsonrpc: '2.0', id: 0, method: 'initialize', params })
    expect((await fetch(a.url, { method: 'POST', headers: json, body })).status).toBe(503)
    const [client] = clients as [Roamer]
    const results = []
    for (const service of [a, b, c, a]) results.push((await client.call(service, 'limited')).result)
    expect(results.map(({ isError }) => isError === true)).toStrictEqual([false, false, false, true])
    expect(results[3].content[0].text).toContain('The rate limit of 3 calls')
  })

  test('the older form accepts a message in any process, and responds on its one stream', async () => {
    const [a, b] = await three()
    const stream = await SseReader.open(new URL('/sse', a.url).href, { headers: { accept: 'text/event-stream' } })
    const path = await stream.endpoint()
    const send = (at: HttpService, message: object) =>
      fetch(new URL(path, at.url), {
        method: 'POST',
        headers: json,
        body: JSON.stringify({ jsonrpc: '2.0', ...message }),
      })
    const params = { protocolVersion: '2024-11-05', capabilities: {}, clientInfo: { name: 'x', version: '1' } }
    expect((await send(b, { id: 0, method: 'initialize', params })).status).toBe(202)
    await stream.message(({ id }) => id === 0)
    await send(a, { method: 'notifications/initialized' })
    await send(b, { id: 1, method: 'tools/call', params: { name: 'grow', arguments: {} } })
    await stream.message(({ id }) => id === 1)
    await stream.message(({ method }) => method === 'notifications/tools/list_changed')
    const elsewhere = await fetch(new URL(path.replace(/.$/, 'x'), b.url), {
      method: 'POST',
      headers: json,
      body: '{}',
    })
    expect(elsewhere.status).toBe(404)
    stream.cut()
  })

  test('a stream of a process that died is read to its end if the end is stored, and refused otherwise', async () => {
    const store = next()
    const [a, b] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    const member = store.join('apiary', { hear: () => {}, connected: () => {}, lost: () => {}, warn: () => {} })
    while (member.trouble) await new Promise((go) => setTimeout(go, 20))
    const session = String(client.headers['mcp-session-id'])
    const answer = JSON.stringify({ jsonrpc: '2.0', id: 3, result: {} })
    const whole = `${member.id}.1`
    const cut = `${member.id}.2`
    for (const [stream, sequence, data, isLast] of [
      [whole, 1, '', false],
      [whole, 2, answer, false],
      [whole, 3, '', true],
      [cut, 1, '', false],
    ] as const)
      await member.streams.append(session, stream, { sequence, data, isLast })
    await member.leave()
    const rest = await client.listen(b, `${whole}-1`)
    await rest.over()
    expect(rest.messages).toStrictEqual([{ jsonrpc: '2.0', id: 3, result: {} }])
    const refused = await fetch(b.url, {
      headers: { accept: 'text/event-stream', ...client.headers, 'last-event-id': `${cut}-1` },
    })
    expect([refused.status, await refused.text()]).toStrictEqual([
      400,
      expect.stringContaining('has ended, and its calls'),
    ])
  })

  test('a process that stops hands its sessions over', async () => {
    const [a, b] = await three()
    const client = await Roamer.open(a)
    await client.send(a, { method: 'notifications/initialized' })
    await client.ask(a, 'resources/subscribe', { uri: 'hives://ML-01' })
    const standing = await client.listen(a)
    await client.call(b, 'weigh')
    await standing.message(({ method }) => method === 'notifications/resources/updated')
    await a.close()
    await standing.over()
    await client.call(b, 'weigh')
    const rest = await client.listen(b, standing.lastId)
    await rest.message(({ method }) => method === 'notifications/resources/updated')
    expect((await client.call(b, 'where')).result.content[0].text).toBe('here')
  })
})
