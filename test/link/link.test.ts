import { defineKit, shared, tool } from 'jexo'
import { connect, connectAll, RpcError } from 'jexo/link'
import { connect as connectOnNode, serveHttp } from 'jexo/node'
import { eventFor } from '../../src/link/events.js'
import { Link } from '../../src/link/link.js'
import type { LinkOptions } from '../../src/link/options.js'
import { clientCapabilities } from '../../src/link/server-requests.js'
import type { Wire, WireHandlers } from '../../src/link/wire.js'
import { findRevision, type Revision } from '../../src/protocol/revisions.js'
import { HttpWire } from '../../src/transport/http-wire.js'
import type { Loose } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const ways = [
  ['in memory', async () => ({ link: await connect(sampleKit()), end: async () => {} })],
  [
    'over HTTP',
    async () => {
      const service = await serveHttp(sampleKit())
      return { link: await connectOnNode(service.url), end: () => service.close() }
    },
  ],
] as const

describe.each(ways)('a link %s', (_way, open) => {
  test('lists, calls, reads, fills and completes', async () => {
    const { link, end } = await open()
    expect(link.revision).toBe('2025-11-25')
    expect(link.serverInfo.name).toBe('sample')
    expect((await link.tools()).map(({ name }) => name)).toContain('add')
    expect((await link.call('add', { a: 1, b: 2 })).structuredContent).toStrictEqual({ sum: 3 })
    expect((await link.read('sample://words/bee')).contents[0]?.text).toBe('the word bee')
    expect((await link.fill('greet', { name: 'Ada' })).messages).toHaveLength(2)
    expect((await link.complete({ prompt: 'greet' }, { name: 'tone', value: 'w' })).values).toStrictEqual(['warm'])
    await link.ping()
    await link.close()
    await end()
  })

  test('receives progress, logs and changes', async () => {
    const { link, end } = await open()
    const seen: unknown[] = []
    const logged: unknown[] = []
    link.on('log', ({ level }) => logged.push(level))
    await link.setLogLevel('debug')
    await link.call('steps', {}, { onProgress: ({ progress }) => seen.push(progress) })
    expect(seen).toStrictEqual([1, 3])
    expect(logged).toStrictEqual(['debug', 'warning'])
    const updated = new Promise((resolve) => link.on('resourceUpdated', resolve))
    await link.subscribe('sample://counter')
    await link.call('count')
    expect(await updated).toStrictEqual({ uri: 'sample://counter' })
    await link.close()
    await end()
  })

  test('cancels, times out, and rejects errors of the server', async () => {
    const { link, end } = await open()
    const controller = new AbortController()
    const waiting = link.call('wait', {}, { signal: controller.signal })
    setTimeout(() => controller.abort(new Error('enough')), 20)
    await expect(waiting).rejects.toThrow('enough')
    await expect(link.call('wait', {}, { timeoutMs: 30 })).rejects.toMatchObject({ code: 'request-timed-out' })
    await expect(link.call('nope')).rejects.toBeInstanceOf(RpcError)
    expect((await link.call('add', { a: 1 })).structuredContent).toStrictEqual({ sum: 2 })
    const hanging = expect(link.call('wait')).rejects.toMatchObject({ code: 'closed' })
    await link.close()
    await hanging
    await end()
  })
})

test('a shared resource is replaced for a test', async () => {
  const real = shared(() => ({ kg: 1 }))
  const kit = defineKit({
    name: 'k',
    version: '1',
    parts: [tool('weigh', { about: 'x', effect: 'read', run: async (_, call) => (await call.use(real)).kg })],
  })
  const link = await connect(kit, { replace: [[real, { kg: 41 }]] })
  expect((await link.call('weigh')).content).toStrictEqual([{ type: 'text', text: '41' }])
  await link.close()
})

test.each(['nonsense', 'ftp://x', 'file.ts'])('the target %p is refused in one sentence', async (target) => {
  await expect(connect(target)).rejects.toThrow(/is not a target; use a kit file/)
})

test('an address without a listener is reported', async () => {
  await expect(connect('http://127.0.0.1:9/mcp')).rejects.toThrow(/^http:\/\/127.0.0.1:9\/mcp: no connection/)
})

const complete = (link: Link) => link.complete({ prompt: 'letter' }, { name: 'member', value: '' })
const onQuestion = async () => ({ action: 'cancel' as const })
const onModelRequest = async () => ({ model: 'none', role: 'assistant' as const, content: [] })
const tasks = (requests: object) => ({ list: {}, cancel: {}, requests })
test.each<[string, LinkOptions, object]>([
  ['2025-11-25', {}, {}],
  ['2025-11-25', { roots: [] }, { roots: { listChanged: true } }],
  [
    '2025-11-25',
    { onQuestion },
    { elicitation: { form: {}, url: {} }, tasks: tasks({ elicitation: { create: {} } }) },
  ],
  [
    '2025-11-25',
    { onModelRequest },
    { sampling: { tools: {} }, tasks: tasks({ sampling: { createMessage: {} } }) },
  ],
  ['2025-06-18', { onQuestion, onModelRequest }, { elicitation: {}, sampling: {} }],
  ['2025-03-26', { onQuestion, onModelRequest }, { sampling: {} }],
])('a link of revision %s with %j declares exactly its capabilities', (date, options, declared) => {
  expect(clientCapabilities(findRevision(date) as Revision, options)).toStrictEqual(declared)
})

test.each([
  ['notifications/resources/updated', { uri: 'hives://ML-01' }, 'resourceUpdated'],
  ['notifications/resources/updated', { uri: 5 }, undefined],
  ['notifications/elicitation/complete', { elicitationId: 'e' }, 'questionFinished'],
  ['notifications/elicitation/complete', {}, undefined],
  ['notifications/tools/list_changed', {}, 'toolsChanged'],
  ['notifications/other', { elicitationId: 'e', uri: 'x' }, undefined],
])('the notification %s with %j is the event %s', (method, params, name) => {
  expect(eventFor(method, params)?.name).toBe(name)
})

describe('a faulty server', () => {
  /** A transport to a server that responds as configured. */
  const wireTo = (answer: (message: Loose, handlers: WireHandlers) => void): Wire => {
    let handlers: WireHandlers
    return {
      label: 'odd',
      start: (given) => {
        handlers = given
      },
      send: (message) => void queueMicrotask(() => answer(message, handlers)),
      close: () => {},
    }
  }
  const greet = (message: Loose, handlers: WireHandlers, result: object = {}) =>
    handlers.receive({
      jsonrpc: '2.0',
      id: message.id,
      result: {
        protocolVersion: '2025-11-25',
        capabilities: { tools: {} },
        serverInfo: { name: 'odd', version: '1' },
        ...result,
      },
    })

  test('with an unknown revision is refused, and the known ones are named', async () => {
    const wire = wireTo((message, handlers) => greet(message, handlers, { protocolVersion: '1999-01-01' }))
    await expect(Link.open(wire)).rejects.toThrow(
      /uses protocol revision "1999-01-01"; this client supports 2025-11-25/,
    )
  })

  test('with endless cursors does not hang the list', async () => {
    const wire = wireTo((message, handlers) => {
      if (message.method === 'initialize') greet(message, handlers)
      else if (message.id)
        handlers.receive({ jsonrpc: '2.0', id: message.id, result: { tools: [], nextCursor: 'same' } })
    })
    await expect((await Link.open(wire)).tools()).rejects.toThrow(/cursors never end/)
  })

  test('with wrong ids, two responses or a malformed one affects only that call', async () => {
    const wire = wireTo((message, handlers) => {
      if (message.method === 'initialize') return greet(message, handlers)
      if (!message.id) return
      handlers.receive({ jsonrpc: '2.0', id: 999, result: {} })
      const result = message.params.name === 'bad' ? { content: 'no array' } : { content: [] }
      handlers.receive({ jsonrpc: '2.0', id: message.id, result })
      handlers.receive({ jsonrpc: '2.0', id: message.id, result: { content: ['second'] } })
    })
    const link = await Link.open(wire)
    await expect(link.call('bad')).rejects.toMatchObject({ code: 'response-malformed' })
    await expect(link.call('good')).resolves.toStrictEqual({ content: [] })
  })

  test.each([
    ['no message', { mode: 'form', requestedSchema: {} }, /"message" must be a string/],
    ['no schema', { mode: 'form', message: 'x' }, /"requestedSchema" must be an object/],
    ['no page', { mode: 'url', message: 'x', elicitationId: 'e' }, /must be an http or https URL/],
    ['no id', { mode: 'url', message: 'x', url: 'https://id.example/' }, /"elicitationId" must be a string/],
    ['an unknown mode', { mode: 'call', message: 'x' }, /the mode "call" was not declared/],
  ])('with a question that has %s is refused', async (_what, params, reason) => {
    const refused = new Promise<Loose>((resolve) => {
      const wire = wireTo((message, handlers) => {
        if (message.method === 'initialize') greet(message, handlers)
        else if (message.method === 'notifications/initialized')
          handlers.receive({ jsonrpc: '2.0', id: 'q', method: 'elicitation/create', params })
        else if (message.id === 'q') resolve(message)
      })
      void Link.open(wire, { onQuestion: () => ({ action: 'accept' }) })
    })
    expect((await refused).error).toMatchObject({ code: -32602, message: expect.stringMatching(reason) })
  })

  test('with an error for no request is logged', async () => {
    const wire = wireTo((message, handlers) => {
      if (message.method === 'initialize') return greet(message, handlers)
      if (message.id) {
        handlers.receive({ jsonrpc: '2.0', error: { code: -32700, message: 'not JSON' } })
        handlers.receive({ jsonrpc: '2.0', id: message.id, result: {} })
      }
    })
    const link = await Link.open(wire)
    const logged: unknown[] = []
    link.on('log', (entry) => logged.push(entry))
    await link.ping()
    expect(logged).toStrictEqual([{ level: 'error', logger: 'protocol', data: 'not JSON' }])
  })

  test.each([
    ['read', { contents: 'no array' }, (link: Link) => link.read('a://b')],
    ['prompt', { messages: {} }, (link: Link) => link.fill('letter')],
    ['completion without an object', { completion: 'x' }, complete],
    ['completion without values', { completion: { values: 'x' } }, complete],
  ] as const)('with a malformed %s rejects it', async (_what, result, ask) => {
    const wire = wireTo((message, handlers) => {
      if (message.method === 'initialize') greet(message, handlers)
      else if (message.id) handlers.receive({ jsonrpc: '2.0', id: message.id, result })
    })
    await expect(ask(await Link.open(wire))).rejects.toMatchObject({ code: 'response-malformed' })
  })

  test('that closes the connection rejects pending calls', async () => {
    const wire = wireTo((message, handlers) => {
      if (message.method === 'initialize') greet(message, handlers)
      else if (message.id) handlers.closed('the server ended by SIGKILL')
    })
    const link = await Link.open(wire)
    const why = new Promise((resolve) => link.on('closed', resolve))
    await expect(link.call('any')).rejects.toThrow(/SIGKILL/)
    expect(await why).toStrictEqual({ why: 'the server ended by SIGKILL' })
  })
})

describe('a session that the server has ended', () => {
  test('is reopened; reads are repeated, other calls are rejected', async () => {
    const service = await serveHttp(sampleKit())
    let session = ''
    const spy: typeof fetch = async (input, init) => {
      const response = await fetch(input, init)
      session = response.headers.get('mcp-session-id') ?? session
      return response
    }
    const link = await Link.open(new HttpWire(new URL(service.url), { fetch: spy }))
    const drop = () => fetch(service.url, { method: 'DELETE', headers: { 'mcp-session-id': session } })
    expect((await link.tools()).length).toBe(9)
    await drop()
    expect((await link.call('add', { a: 1 })).structuredContent).toStrictEqual({ sum: 2 })
    await drop()
    await expect(link.call('count')).rejects.toMatchObject({ code: 'session-ended' })
    expect((await link.call('count')).content).toStrictEqual([{ type: 'text', text: '1' }])
    await link.close()
    await service.close()
  })
})

test('several links open in parallel, and one that fails does not block the others', async () => {
  const { links, failed, close } = await connectAll({
    one: sampleKit(),
    two: sampleKit(),
    gone: 'http://127.0.0.1:9/mcp',
  })
  expect(Object.keys(links).sort()).toStrictEqual(['one', 'two'])
  expect(failed.gone?.message).toMatch(/no connection/)
  expect((await links.one?.call('add', { a: 1 }))?.structuredContent).toStrictEqual({ sum: 2 })
  await close()
})

test('lists are kept until the server reports a change', async () => {
  const kit = sampleKit()
  let asked = 0
  const link = await connect(kit, {
    onMessage: (message) => 'method' in message && message.method === 'tools/list' && asked++,
  })
  await link.tools()
  await link.tools()
  expect(asked).toBe(1)
  const changed = new Promise((resolve) => link.on('toolsChanged', () => resolve(true)))
  kit.replace(kit.parts.slice(1))
  await changed
  expect(await link.tools()).toHaveLength(8)
  expect(asked).toBe(2)
  await link.close()
})
