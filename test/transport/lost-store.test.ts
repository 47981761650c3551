import { defineKit, tool } from 'jexo'
import { connect, type HttpService, serveHttp } from 'jexo/node'
import { redisStore } from 'jexo/redis'
import { z } from 'zod'
import { type RedisServer, redisServer } from '../support/redis.js'
import { SseReader } from '../support/sse.js'

const gates = new Map<string, () => void>()
const kit = () =>
  defineKit({
    name: 'apiary',
    version: '1.0.0',
    parts: [
      tool('where', { about: 'Answers.', effect: 'read', input: z.object({}), run: () => 'here' }),
      tool('count', {
        about: 'Counts.',
        effect: 'read',
        input: z.object({ gate: z.string() }),
        run: async ({ gate }, call) => {
          call.progress(1)
          await new Promise<void>((go) => gates.set(gate, go))
          call.progress(2)
          return 'counted'
        },
      }),
    ],
  })
const json = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }

const params = { protocolVersion: '2025-11-25', capabilities: {}, clientInfo: { name: 'x', version: '1' } }
const send = (message: object, more: Record<string, string> = {}) => ({
  method: 'POST',
  headers: { ...json, ...more },
  body: JSON.stringify({ jsonrpc: '2.0', ...message }),
})
/** The id of a session whose initialization is not complete. */
const opened = async () => {
  const first = await fetch(service.url, send({ id: 0, method: 'initialize', params }))
  return String(first.headers.get('mcp-session-id'))
}

let redis: RedisServer
let service: HttpService
const reports: string[] = []

const serve = (url: string, prefix?: string) =>
  serveHttp(kit(), {
    store: redisStore(url, { timeoutMs: 1000, ...(prefix ? { prefix } : {}) }),
    report: ({ text }) => void reports.push(text),
  })
const health = async (what: 'live' | 'ready') => {
  const response = await fetch(new URL(`/health/${what}`, service.url))
  return { status: response.status, body: await response.json() }
}
const until = async (status: number) => {
  for (let tries = 0; (await health('ready')).status !== status; tries++) {
    if (tries > 300) throw new Error(`it is never ${status}`)
    await new Promise((go) => setTimeout(go, 50))
  }
}

beforeEach(async () => {
  reports.length = 0
  redis = await redisServer()
})
afterEach(async () => {
  await service.close()
  await redis.remove()
})

test('a server starts without its store, refuses calls with the reason, and serves once it is available', async () => {
  await redis.stop()
  service = await serve(redis.url)
  expect(await health('live')).toMatchObject({ status: 200 })
  expect(await health('ready')).toMatchObject({ status: 503, body: { status: 'waiting for the store' } })
  const refused = await fetch(service.url, send({ id: 0, method: 'initialize', params }))
  expect(refused.status).toBe(503)
  expect(refused.headers.get('retry-after')).toBe('5')
  expect(await refused.text()).toContain(`The store ${redis.url} cannot be used now`)
  await redis.start()
  await until(200)
  const link = await connect(service.url)
  expect((await link.call('where', {})).content).toMatchObject([{ text: 'here' }])
  await link.close()
  expect(reports.join('\n')).toMatch(
    /cannot be used: no server responds there; calls are refused until it can\n.*can be used again/,
  )
})

test('sessions and streams survive a restart of the store, without losses or duplicates', async () => {
  service = await serve(redis.url)
  await until(200)
  const session = { 'mcp-session-id': await opened() }
  await fetch(service.url, send({ method: 'notifications/initialized' }, session))
  const call = { name: 'count', arguments: { gate: 'restart' }, _meta: { progressToken: 1 } }
  const stream = await SseReader.open(service.url, send({ id: 1, method: 'tools/call', params: call }, session))
  await stream.message(({ method }) => method === 'notifications/progress')
  await redis.stop()
  await until(503)
  // Running calls continue, and their results are kept for the store.
  gates.get('restart')?.()
  await stream.message(({ id }) => id === 1)
  await redis.start()
  await until(200)
  const [, second] = stream.events
  const again = await SseReader.open(service.url, {
    headers: { accept: 'text/event-stream', ...session, 'last-event-id': String(second?.id) },
  })
  await again.over()
  expect(again.messages).toStrictEqual(stream.messages.slice(1))
  expect((await fetch(service.url, send({ id: 2, method: 'ping' }, session))).status).toBe(200)
})

test('a store that hangs is detected, and used again when it responds', async () => {
  service = await serve(redis.url)
  await until(200)
  const link = await connect(service.url)
  redis.pause()
  await expect(link.call('where', {})).rejects.toThrow(/did not respond in time|503/)
  redis.goOn()
  await until(200)
  expect((await link.call('where', {})).content).toMatchObject([{ text: 'here' }])
  await link.close()
})

test('a full store refuses new sessions, and serves the others', async () => {
  service = await serve(redis.url)
  await until(200)
  const link = await connect(service.url)
  await redis.command('CONFIG', 'SET', 'maxmemory', '1')
  expect((await link.call('where', {})).content).toMatchObject([{ text: 'here' }])
  await expect(connect(service.url)).rejects.toThrow(/full/)
  await redis.command('CONFIG', 'SET', 'maxmemory', '0')
  await (await connect(service.url)).close()
  await link.close()
})

test('foreign values under its names are refused or left alone', async () => {
  service = await serve(redis.url)
  await until(200)
  const id = await opened()
  const standing = await SseReader.open(service.url, {
    headers: { accept: 'text/event-stream', 'mcp-session-id': id },
  })
  expect(standing.status).toBe(200)
  standing.cut()
  for (const value of [
    'honey',
    'ready {',
    'ready {"version":9}',
    'ready []',
    'ready {"version":1,"isReady":true}',
  ]) {
    await redis.command('SET', `jexo:apiary:s:${id}`, value)
    const response = await fetch(service.url, { headers: { accept: 'text/event-stream', 'mcp-session-id': id } })
    expect(response.status).toBe(404)
  }
  await redis.command('DEL', `jexo:apiary:s:${id}`)
  await redis.command('HSET', `jexo:apiary:s:${id}`, 'a', 'b')
  const response = await fetch(service.url, { headers: { accept: 'text/event-stream', 'mcp-session-id': id } })
  expect([response.status, await response.text()]).toStrictEqual([
    503,
    expect.stringContaining('choose another prefix'),
  ])
  for (const mail of [
    '{',
    '[]',
    '{"kind":"event","session":1}',
    '{"kind":"message","session":"x","message":{}}',
    '{"kind":"lists","lists":{}}',
  ])
    await redis.command('PUBLISH', 'jexo:apiary:c:all', mail)
  expect(await health('ready')).toMatchObject({ status: 200 })
})

test('two kits in one store do not see each other', async () => {
  service = await serve(redis.url)
  const other = await serve(redis.url, 'another')
  await until(200)
  const id = await opened()
  const foreign = await fetch(other.url, {
    headers: { accept: 'text/event-stream', 'mcp-session-id': id },
  })
  expect(foreign.status).toBe(404)
  await other.close()
})

test.each(['http://127.0.0.1:6379', 'redis', 'redis:/x', ''])('%j is not a valid store URL', (url) => {
  service = { close: async () => ({ cut: [] }) } as unknown as HttpService
  expect(() => redisStore(url)).toThrow(/URL of a Redis server/)
})
