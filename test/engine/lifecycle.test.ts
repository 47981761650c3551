import { revisions } from '../../src/protocol/revisions.js'
import { RawSession } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const dates = revisions.map(({ date }) => date)

describe('a session', () => {
  test.each(dates)('uses %s on request', async (date) => {
    const { result } = await new RawSession(sampleKit()).initialize(date)
    expect(result).toMatchObject({ protocolVersion: date, instructions: 'One of everything.' })
    expect(result.serverInfo).toMatchObject({ name: 'sample', version: '2.0.0' })
    expect('title' in result.serverInfo).toBe(date >= '2025-06-18')
    expect('description' in result.serverInfo).toBe(date >= '2025-11-25')
    expect('icons' in result.serverInfo).toBe(date >= '2025-11-25')
    expect('completions' in result.capabilities).toBe(date >= '2025-03-26')
  })

  test.each(['1999-01-01', 'R4', ''])('answers the unknown revision %p with the newest', async (asked) => {
    const { result } = await new RawSession(sampleKit()).initialize(asked)
    expect(result.protocolVersion).toBe('2025-11-25')
  })

  test('refuses requests before initialize, except ping', async () => {
    const session = new RawSession(sampleKit())
    expect((await session.ask('tools/list')).error.code).toBe(-32600)
    expect((await session.ask('ping')).result).toStrictEqual({})
  })

  test('responds between initialize and initialized, but sends no list changes yet', async () => {
    const kit = sampleKit()
    const session = new RawSession(kit)
    await session.initialize('2025-11-25')
    expect((await session.ask('tools/list')).result.tools).toHaveLength(9)
    kit.replace(kit.parts.slice(1))
    expect(session.methods()).toStrictEqual([])
    session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
    kit.replace(kit.parts.slice(1))
    expect(session.methods()).toStrictEqual([
      'notifications/tools/list_changed',
      'notifications/resources/list_changed',
      'notifications/prompts/list_changed',
    ])
  })

  test('refuses a second initialize, and one with missing fields', async () => {
    const session = new RawSession(sampleKit())
    expect((await session.ask('initialize', {})).error.code).toBe(-32602)
    expect((await session.ask('initialize', { protocolVersion: '2025-11-25', capabilities: {} })).error.code).toBe(
      -32602,
    )
    expect((await session.initialize('2025-11-25')).result).toBeDefined()
    expect((await session.initialize('2025-11-25')).error.code).toBe(-32600)
  })

  test.each(['nope', 'tasks/list', 'sampling/createMessage', 'toString'])(
    'does not know the method %s',
    async (method) => {
      const session = await RawSession.open(sampleKit())
      expect((await session.ask(method)).error).toMatchObject({
        code: -32601,
        message: expect.stringContaining(method),
      })
    },
  )

  test('answers a line that is not JSON, and stays open', async () => {
    const session = await RawSession.open(sampleKit())
    session.giveText('{"jsonrpc":')
    session.giveText('"word"')
    expect(session.sent.slice(-2)).toMatchObject([{ error: { code: -32700 } }, { error: { code: -32600 } }])
    expect(session.sent.slice(-2).some((message) => 'id' in message)).toBe(false)
    expect((await session.ask('ping')).result).toStrictEqual({})
  })

  test('accepts batches in the one revision that has them', async () => {
    const batch = [
      { jsonrpc: '2.0', id: 'a', method: 'ping' },
      { jsonrpc: '2.0', method: 'notifications/initialized' },
      { jsonrpc: '2.0', id: 'b', method: 'initialize', params: {} },
      7,
    ]
    for (const date of dates) {
      const session = await RawSession.open(sampleKit(), date)
      session.give(batch)
      const last = session.sent.at(-1)
      if (date === '2025-03-26') {
        expect(last).toHaveLength(3)
        expect(last).toContainEqual({ jsonrpc: '2.0', id: 'a', result: {} })
        expect(last).toContainEqual(
          expect.objectContaining({ id: 'b', error: expect.objectContaining({ code: -32600 }) }),
        )
      } else {
        expect(last).toMatchObject({ error: { code: -32600 } })
      }
    }
  })

  test.each(dates)('declares exactly what %s has', async (date) => {
    const changing = { listChanged: true }
    expect((await new RawSession(sampleKit()).initialize(date)).result.capabilities).toStrictEqual({
      tools: changing,
      resources: { subscribe: true, ...changing },
      prompts: changing,
      logging: {},
      ...(date === '2024-11-05' ? {} : { completions: {} }),
    })
  })

  test('knows its client, with long texts cut and missing ones left out', async () => {
    const session = new RawSession(sampleKit())
    const clientInfo = { name: 'n'.repeat(300), version: '1', title: 't'.repeat(300), description: 5 }
    await session.ask('initialize', { protocolVersion: '2025-11-25', capabilities: {}, clientInfo })
    expect(session.engine.client).toStrictEqual({ name: 'n'.repeat(200), version: '1', title: 't'.repeat(200) })
  })

  test('declares exactly the parts of the kit if stateless, and needs no initialize', async () => {
    const kit = sampleKit()
    kit.replace(kit.parts.filter((part) => part.kind === 'tool'))
    const session = new RawSession(kit, {}, { stateless: revisions[0]! })
    expect((await session.initialize('2025-11-25')).result.capabilities).toStrictEqual({ tools: {} })
    expect(
      (await session.ask('tools/call', { name: 'add', arguments: { a: 1 } })).result.structuredContent,
    ).toStrictEqual({ sum: 2 })
    for (const method of ['resources/list', 'prompts/list', 'logging/setLevel', 'completion/complete']) {
      expect((await session.ask(method)).error.code).toBe(-32601)
    }
  })
})
