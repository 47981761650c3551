import { defineKit, tool } from 'jexo'
import { type HttpService, serveHttp } from 'jexo/node'
import { z } from 'zod'
import { memoryStore } from '../../src/store/memory/memory-store.js'
import { SseReader } from '../support/sse.js'

const kit = () =>
  defineKit({
    name: 'apiary',
    version: '1.0.0',
    parts: [
      tool('ask', {
        about: 'Asks.',
        effect: 'read',
        run: async (_, call) => {
          const answer = await call.askPerson('Which hive?', z.object({ hive: z.string() }))
          return answer.action === 'accept' ? answer.content.hive : answer.action
        },
      }),
      tool('weigh', { about: 'Weighs.', effect: 'read', run: () => 'weighed' }),
    ],
  })
const json = { accept: 'application/json, text/event-stream', 'content-type': 'application/json' }
const post = (message: object, headers: Record<string, string> = {}) => ({
  method: 'POST',
  headers: { ...json, ...headers },
  body: JSON.stringify({ jsonrpc: '2.0', ...message }),
})
const hello = (capabilities: object) => ({
  id: 0,
  method: 'initialize',
  params: { protocolVersion: '2025-11-25', capabilities, clientInfo: { name: 'x', version: '1' } },
})

let a: HttpService
let b: HttpService
const open = async (at: HttpService) => {
  const response = await fetch(at.url, post(hello({ elicitation: {} })))
  const session = { 'mcp-session-id': String(response.headers.get('mcp-session-id')) }
  await fetch(at.url, post({ method: 'notifications/initialized' }, session))
  return session
}

beforeAll(async () => {
  const store = memoryStore()
  a = await serveHttp(kit(), { store, report: () => {} })
  b = await serveHttp(kit(), { store, report: () => {} })
})
afterAll(async () => {
  await a.close()
  await b.close()
})

test('nobody answers a question of another session through any process', async () => {
  const [victim, thief] = [await open(a), await open(b)]
  const call = { id: 1, method: 'tools/call', params: { name: 'ask', arguments: {} } }
  const stream = await SseReader.open(a.url, post(call, victim))
  const question = await stream.message(({ method }) => method === 'elicitation/create')
  const forged = { id: question.id, result: { action: 'accept', content: { hive: 'stolen' } } }
  for (const at of [a, b]) expect((await fetch(at.url, post(forged, thief))).status).toBe(202)
  await new Promise((go) => setTimeout(go, 100))
  expect(stream.messages.some(({ id }) => id === 1)).toBe(false)
  await fetch(b.url, post({ id: question.id, result: { action: 'decline' } }, victim))
  const answer = await stream.message(({ id }) => id === 1)
  expect(answer.result.content[0].text).toBe('decline')
})

test('nobody cancels a call of another session, or reads its streams', async () => {
  const [victim, thief] = [await open(a), await open(b)]
  const call = { id: 5, method: 'tools/call', params: { name: 'ask', arguments: {} } }
  const stream = await SseReader.open(a.url, post(call, victim))
  const question = await stream.message(({ method }) => method === 'elicitation/create')
  await fetch(b.url, post({ method: 'notifications/cancelled', params: { requestId: 5 } }, thief))
  const theft = await fetch(b.url, {
    headers: { accept: 'text/event-stream', ...thief, 'last-event-id': String(stream.lastId) },
  })
  expect(theft.status).toBe(400)
  await fetch(b.url, post({ id: question.id, result: { action: 'accept', content: { hive: 'ML-01' } } }, victim))
  const answer = await stream.message(({ id }) => id === 5)
  expect(answer.result.content[0].text).toBe('ML-01')
})

test.each(['*', '../apiary', 'a:b', '%2e%2e', 'sessions', `${'x'.repeat(200)}`, '__proto__'])(
  '%j is no session',
  async (id) => {
    const response = await fetch(a.url, post({ id: 1, method: 'ping' }, { 'mcp-session-id': id }))
    expect(response.status).toBe(404)
  },
)

test.each([
  ['a response that names no process', { id: '.1', result: {} }],
  ['a response that names one that is not there', { id: 'nobody.1', result: {} }],
  ['a response with a key in it', { id: 'c:all.1', result: {} }],
  ['progress of nobody', { method: 'notifications/progress', params: { progressToken: 'nobody.1', progress: 1 } }],
  ['progress of everybody', { method: 'notifications/progress', params: { progressToken: { a: 1 }, progress: 1 } }],
  ['a cancellation of nothing', { method: 'notifications/cancelled', params: { requestId: { a: 1 } } }],
  ['a cancellation without an id', { method: 'notifications/cancelled' }],
])('%s is accepted, and has no effect', async (_what, message) => {
  const session = await open(a)
  expect((await fetch(b.url, post(message, session))).status).toBe(202)
  const call = { id: 2, method: 'tools/call', params: { name: 'weigh', arguments: {} } }
  const answer = await (await fetch(b.url, post(call, session))).json()
  expect(answer.result.content[0].text).toBe('weighed')
})

test.each(['x', 'nobody.1-1', '-1', 'a-b-1', `${'x'.repeat(100)}-1`, 'sessions-0', '1-99999999999999999999'])(
  'no stream goes on after the event %j',
  async (id) => {
    const session = await open(a)
    const headers = { accept: 'text/event-stream', ...session, 'last-event-id': id }
    expect((await fetch(b.url, { headers })).status).toBe(400)
  },
)

test('a session that would fill the store is refused', async () => {
  const response = await fetch(a.url, post(hello({ experimental: { honey: 'x'.repeat(100_000) } })))
  expect(response.status).toBe(413)
})
