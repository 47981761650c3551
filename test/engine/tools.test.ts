import { defineKit, tool } from 'jexo'
import { revisions } from '../../src/protocol/revisions.js'
import { RawSession } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const dates = revisions.map(({ date }) => date)
const say = async (session: RawSession, kind: string) =>
  (await session.ask('tools/call', { name: 'say', arguments: { kind } })).result

describe('tools/list', () => {
  test.each(dates)('shows %s the fields of its revision', async (date) => {
    const session = await RawSession.open(sampleKit(), date)
    const { tools } = (await session.ask('tools/list')).result
    const [add, , , quiet] = tools
    expect(add.inputSchema).toMatchObject({ type: 'object', required: ['a'] })
    expect('annotations' in add).toBe(date >= '2025-03-26')
    for (const field of ['title', 'outputSchema', '_meta']) expect(field in add).toBe(date >= '2025-06-18')
    expect(quiet.inputSchema).toStrictEqual({ type: 'object', additionalProperties: false })
  })

  test('sends effects as hints', async () => {
    const parts = (['read', 'add', 'change', 'remove'] as const).map((effect) =>
      tool(effect, { about: 'x', effect, run: () => 1 }),
    )
    const session = await RawSession.open(defineKit({ name: 'x', version: '1', parts }))
    const { tools } = (await session.ask('tools/list')).result
    expect(tools.map((listed: { annotations: object }) => listed.annotations)).toMatchObject([
      { readOnlyHint: true },
      { readOnlyHint: false, destructiveHint: false },
      { destructiveHint: true },
      { destructiveHint: true, idempotentHint: true },
    ])
  })
})

describe('tools/call', () => {
  test('returns structured content, and the same JSON as text', async () => {
    const session = await RawSession.open(sampleKit())
    const { result } = await session.ask('tools/call', { name: 'add', arguments: { a: 2, b: 3 } })
    expect(result).toStrictEqual({ content: [{ type: 'text', text: '{"sum":5}' }], structuredContent: { sum: 5 } })
  })

  test.each(dates)('downgrades content that %s does not have', async (date) => {
    const session = await RawSession.open(sampleKit(), date)
    const { result } = await session.ask('tools/call', { name: 'add', arguments: { a: 2 } })
    expect('structuredContent' in result).toBe(date >= '2025-06-18')
    expect((await say(session, 'audio')).content[0].type).toBe(date >= '2025-03-26' ? 'audio' : 'text')
    const [link] = (await say(session, 'link')).content
    expect(link.type).toBe(date >= '2025-06-18' ? 'resource_link' : 'text')
    expect(JSON.stringify(link)).toContain('sample://counter')
  })

  test.each([
    ['text', [{ type: 'text', text: 'words' }]],
    ['json', [{ type: 'text', text: '{"a":[1,2]}' }]],
    ['image', [{ type: 'image', data: 'iVA=', mimeType: 'image/png' }]],
    [
      'mixed',
      [
        { type: 'text', text: 'before' },
        { type: 'text', text: 'after', annotations: { audience: ['user'] } },
      ],
    ],
  ])('turns %s into content', async (kind, content) => {
    const session = await RawSession.open(sampleKit())
    expect(await say(session, kind)).toStrictEqual({ content })
  })

  test('reports a missing return, unless the tool has no output', async () => {
    const session = await RawSession.open(sampleKit())
    expect(await say(session, 'nothing')).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining('"return" missing') }],
    })
    expect((await session.ask('tools/call', { name: 'quiet' })).result).toStrictEqual({ content: [] })
  })

  test('shows a refusal unchanged, and any other error as an id that is in the log', async () => {
    const session = await RawSession.open(sampleKit())
    expect(await say(session, 'refusal')).toStrictEqual({
      isError: true,
      content: [{ type: 'text', text: 'Not on Sundays.' }],
    })
    const { isError, content } = await say(session, 'crash')
    expect(isError).toBe(true)
    expect(content[0].text).not.toMatch(/hidden|at .*:\d+/)
    const id = /error ([0-9a-f]{8})/.exec(content[0].text)?.[1]
    expect(session.reports.at(-1)?.text).toContain(String(id))
    expect(session.reports.at(-1)?.text).toContain('/srv/hidden')
  })

  test('treats an output that does not match its schema as a fault of the server', async () => {
    const session = await RawSession.open(sampleKit())
    const { result } = await session.ask('tools/call', { name: 'broken_output' })
    expect(result).toMatchObject({
      isError: true,
      content: [{ text: expect.stringContaining('fault of the server') }],
    })
    expect(result.structuredContent).toBeUndefined()
    expect(session.reports.at(-1)?.text).toContain('sum')
  })

  test.each(dates)('tells %s in a tool result which argument is wrong, received and expected', async (date) => {
    const session = await RawSession.open(sampleKit(), date)
    const wrong = (await session.ask('tools/call', { name: 'add', arguments: { a: 'two' } })).result
    expect(wrong.isError).toBe(true)
    expect(wrong.content[0].text).toMatch(/a: received "two"; expected a number \(First\)/)
    const format = (await session.ask('tools/call', { name: 'plain', arguments: { when: 'soon' } })).result
    expect(format.content[0].text).toMatch(/when: received "soon"; expected a string, format date/)
    const missing = (await session.ask('tools/call', { name: 'plain' })).result
    expect(missing.content[0].text).toMatch(/when: missing/)
  })

  test('refuses an unknown tool with its name and the closest match', async () => {
    const session = await RawSession.open(sampleKit())
    expect((await session.ask('tools/call', { name: 'ad' })).error).toMatchObject({
      code: -32602,
      message: expect.stringContaining('"ad"'),
      data: { closest: ['add'] },
    })
  })

  test.each([{}, { name: 5 }, { name: 'add', arguments: [] }, { name: 'add', arguments: null }])(
    'refuses %j',
    async (params) => {
      const session = await RawSession.open(sampleKit())
      expect((await session.ask('tools/call', params)).error.code).toBe(-32602)
    },
  )

  test('sends increasing progress, and logs at the level, before the response', async () => {
    const session = await RawSession.open(sampleKit())
    const _meta = { progressToken: 'p', token: 5 }
    await session.ask('tools/call', { name: 'steps', _meta })
    const notes = session.sent.filter((message) => message.method)
    expect(notes).toMatchObject([
      { method: 'notifications/progress', params: { progressToken: 'p', progress: 1, total: 3, message: 'one' } },
      { method: 'notifications/progress', params: { progress: 3 } },
      {
        method: 'notifications/message',
        params: { level: 'warning', logger: 'steps', data: { message: 'mind this', data: { token: 5 } } },
      },
    ])
    await session.ask('logging/setLevel', { level: 'error' })
    session.sent.length = 0
    await session.ask('tools/call', { name: 'steps' })
    expect(session.sent.at(-1).result).toBeDefined()
    expect(session.methods()).toStrictEqual([])
    expect((await session.ask('logging/setLevel', { level: 'loud' })).error.code).toBe(-32602)
  })

  test('omits the progress message in the first revision', async () => {
    const session = await RawSession.open(sampleKit(), '2024-11-05')
    await session.ask('tools/call', { name: 'steps', _meta: { progressToken: 1 } })
    expect(session.sent.find((message) => message.method === 'notifications/progress').params).toStrictEqual({
      progressToken: 1,
      progress: 1,
      total: 3,
    })
  })

  test('stops on cancellation and does not respond', async () => {
    const session = await RawSession.open(sampleKit())
    session.give({ jsonrpc: '2.0', id: 'w', method: 'tools/call', params: { name: 'wait' } })
    await new Promise((resolve) => setImmediate(resolve))
    expect(session.engine.inFlight).toBe(1)
    session.give({
      jsonrpc: '2.0',
      method: 'notifications/cancelled',
      params: { requestId: 'w', reason: 'enough' },
    })
    await session.ask('ping')
    expect(session.engine.inFlight).toBe(0)
    expect(session.sent.some((message) => message.id === 'w')).toBe(false)
  })

  test('finishes a running call with the parts it started with', async () => {
    let release = () => {}
    const slow = tool('slow', {
      about: 'x',
      effect: 'read',
      run: () => new Promise<string>((resolve) => (release = () => resolve('old'))),
    })
    const kit = defineKit({ name: 'x', version: '1', parts: [slow] })
    const session = await RawSession.open(kit)
    const asked = session.ask('tools/call', { name: 'slow' })
    await new Promise((resolve) => setImmediate(resolve))
    kit.replace([tool('slow', { about: 'y', effect: 'read', run: () => 'new' })])
    release()
    expect((await asked).result.content[0].text).toBe('old')
    expect((await session.ask('tools/call', { name: 'slow' })).result.content[0].text).toBe('new')
  })
})
