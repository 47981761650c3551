import { defineKit, Refusal, tool } from 'jexo'
import { fetchHandler } from 'jexo/fetch'
import { alwaysAnswer, answersFrom, connect, type Link, type Question } from 'jexo/link'
import { z } from 'zod'
import { questionFor, questionSchema } from '../../src/kit/question.js'
import { revisions } from '../../src/protocol/revisions.js'
import { samplingFault } from '../../src/protocol/sampling.js'
import { RawSession } from '../support/raw-session.js'

const everyKind = z.object({
  name: z.string().min(2).describe('Name'),
  mail: z.email().optional(),
  kg: z.number().min(1).max(90),
  count: z.int().default(3),
  calm: z.boolean().default(true),
  tone: z.enum(['warm', 'plain']).default('warm'),
  queen: z.union([z.literal('y').meta({ title: 'Yes' }), z.literal('n').meta({ title: 'No' })]),
  sites: z.array(z.enum(['marsh', 'quarry'])).min(1),
})
const ran: unknown[] = []
const kit = defineKit({
  name: 'asks',
  version: '1',
  parts: [
    tool('form', { about: 'x', effect: 'read', run: (_, call) => call.askPerson('Everything?', everyKind) }),
    tool('plain_form', {
      about: 'x',
      effect: 'read',
      run: (_, call) =>
        call.askPerson('How heavy?', {
          type: 'object',
          properties: { kg: { type: 'number', minimum: 1 } },
          required: ['kg'],
        }),
    }),
    tool('nested', {
      about: 'x',
      effect: 'read',
      run: (_, call) => call.askPerson('x', z.object({ a: z.object({ b: z.string() }) })),
    }),
    tool('page', {
      about: 'x',
      effect: 'read',
      async run(_, call) {
        const sent = await call.sendPersonTo('https://pay.example/1', 'Please pay.')
        sent.finished()
        return sent.action
      },
    }),
    tool('gate', {
      about: 'x',
      effect: 'read',
      run: () => {
        throw new Refusal('Log in first.', { visit: [{ url: 'https://in.example/', message: 'Log in here:' }] })
      },
    }),
    tool('model', {
      about: 'x',
      effect: 'read',
      run: async (_, call) =>
        (await call.askModel({ messages: [{ role: 'user', content: 'Hi' }], maxTokens: 9 })).content,
    }),
    tool('model_tools', {
      about: 'x',
      effect: 'read',
      run: (_, call) =>
        call.askModel({
          messages: [{ role: 'user', content: 'Hi' }],
          maxTokens: 9,
          tools: [{ name: 't', inputSchema: { type: 'object' } }],
        }),
    }),
    tool('folders', { about: 'x', effect: 'read', run: (_, call) => call.roots() }),
    tool('remove_hive', {
      about: 'x',
      effect: 'remove',
      input: z.object({ hive: z.string() }),
      confirm: ({ hive }) => `Really remove ${hive}?`,
      run: (input) => {
        ran.push(input)
        return 'removed'
      },
    }),
    tool('move_hive', {
      about: 'x',
      effect: 'change',
      confirm: { say: () => 'Move?', ifPossible: true },
      run: () => 'moved',
    }),
    tool('weigh', {
      about: 'x',
      effect: 'add',
      input: z.object({ hive: z.string(), kg: z.number().min(1).describe('Weight') }),
      askFor: ['kg'],
      run: ({ hive, kg }) => `${hive} ${kg}`,
    }),
  ],
})
const textOf = async (link: Link, name: string, args: Record<string, unknown> = {}) => {
  const [block] = (await link.call(name, args)).content
  return block?.type === 'text' ? block.text : ''
}
const newest = 'R4'
const filled = { name: 'Ada', kg: 41, queen: 'y', sites: ['marsh'] }

describe('askPerson', () => {
  test('puts every type of field into a form, and returns typed content with defaults', async () => {
    const questions: Question[] = []
    const link = await connect(kit, {
      onQuestion: (question) => {
        questions.push(question)
        return { action: 'accept', content: filled }
      },
    })
    expect(JSON.parse(await textOf(link, 'form'))).toStrictEqual({
      action: 'accept',
      content: { ...filled, count: 3, calm: true, tone: 'warm' },
    })
    expect(questions[0]).toMatchObject({
      kind: 'form',
      message: 'Everything?',
      schema: {
        properties: {
          name: { type: 'string', minLength: 2, description: 'Name' },
          mail: { type: 'string', format: 'email' },
          kg: { type: 'number', minimum: 1, maximum: 90 },
          count: { type: 'integer', default: 3 },
          calm: { type: 'boolean', default: true },
          tone: { type: 'string', enum: ['warm', 'plain'], default: 'warm' },
          queen: {
            oneOf: [
              { const: 'y', title: 'Yes' },
              { const: 'n', title: 'No' },
            ],
          },
          sites: { type: 'array', minItems: 1, items: { enum: ['marsh', 'quarry'] } },
        },
        required: ['name', 'kg', 'queen', 'sites'],
      },
    })
    await link.close()
  })

  test.each(['decline', 'cancel'] as const)('reports a %s to the author', async (action) => {
    const link = await connect(kit, { onQuestion: alwaysAnswer(action) })
    expect(JSON.parse(await textOf(link, 'form'))).toStrictEqual({ action })
    await link.close()
  })

  test('refuses an answer that does not match before it is sent', async () => {
    const link = await connect(kit, { onQuestion: () => ({ action: 'accept', content: { kg: 0 } }) })
    expect(await textOf(link, 'plain_form')).toMatch(
      /The host refused: The answer does not match the schema of the question: kg/,
    )
    await link.close()
  })

  test('reports fields that a form cannot hold, and hosts that cannot ask', async () => {
    const asking = await connect(kit, { onQuestion: alwaysAnswer('accept') })
    expect(await textOf(asking, 'nested')).toMatch(/the field "a" cannot be part of a form/)
    await asking.close()
    for (const options of [{}, { onQuestion: alwaysAnswer('accept'), revision: '2025-03-26' }]) {
      const link = await connect(kit, options)
      expect(await textOf(link, 'plain_form')).toMatch(/cannot ask the user; it did not declare "elicitation"/)
      await link.close()
    }
  })

  test('omits fields that an older peer does not know', () => {
    const revision = revisions.find(({ short }) => short === 'R3')!
    const { sites, ...rest } = everyKind.shape
    const older = questionFor(revision, questionSchema(z.object(rest), 'x'), 'x').properties as Record<
      string,
      object
    >
    expect(older.queen).toStrictEqual({ type: 'string', enum: ['y', 'n'], enumNames: ['Yes', 'No'] })
    expect(older.calm).toStrictEqual({ type: 'boolean', default: true })
    expect(older.count).not.toHaveProperty('default')
    expect(() => questionFor(revision, questionSchema(z.object({ sites }), 'x'), 'x')).toThrow(
      /several choices in one field \("sites"\)/,
    )
  })
})

test('pages are opened, reported as complete, and required by an error if the host can show them', async () => {
  const link = await connect(kit, { onQuestion: ({ kind }) => ({ action: kind === 'url' ? 'accept' : 'cancel' }) })
  const finished = new Promise((resolve) => link.on('questionFinished', resolve))
  expect(await textOf(link, 'page')).toBe('accept')
  expect(await finished).toStrictEqual({ elicitationId: expect.any(String) })
  await expect(link.call('gate')).rejects.toMatchObject({
    code: -32042,
    data: { elicitations: [{ mode: 'url', url: 'https://in.example/', elicitationId: expect.any(String) }] },
  })
  await link.close()
  const older = await connect(kit, { revision: '2025-06-18', onQuestion: alwaysAnswer('accept') })
  expect(await textOf(older, 'gate')).toBe('Log in first.\nLog in here: https://in.example/')
  expect(await textOf(older, 'page')).toMatch(/did not declare "elicitation.url"/)
  await older.close()
})

describe('the model and the roots', () => {
  test('are requested if the host offers them', async () => {
    const link = await connect(kit, {
      roots: [{ uri: 'file:///hives' }],
      onModelRequest: ({ messages }) => ({
        role: 'assistant',
        model: 'm',
        content: { type: 'text', text: JSON.stringify(messages) },
      }),
    })
    expect(JSON.parse(await textOf(link, 'folders'))).toStrictEqual([{ uri: 'file:///hives' }])
    link.setRoots([{ uri: 'file:///other', name: 'other' }])
    expect(JSON.parse(await textOf(link, 'folders'))).toStrictEqual([{ uri: 'file:///other', name: 'other' }])
    expect(await textOf(link, 'model')).toContain('[{\\"role\\":\\"user\\"')
    expect((await link.call('model_tools')).isError).toBeUndefined()
    await link.close()
  })

  test('are reported as missing if it does not', async () => {
    const link = await connect(kit, { revision: newest })
    expect(await textOf(link, 'folders')).toMatch(/did not declare "roots"/)
    expect(await textOf(link, 'model')).toMatch(/did not declare "sampling"/)
    await link.close()
    const older = await connect(kit, {
      revision: '2025-06-18',
      onModelRequest: () => ({ role: 'assistant', model: 'm', content: { type: 'text', text: '' } }),
    })
    expect(await textOf(older, 'model_tools')).toMatch(/did not declare "sampling.tools"/)
    await older.close()
  })

  test.each([
    [[{ role: 'user', content: { type: 'text', text: 'a' } }], undefined],
    [[{ role: 'system', content: { type: 'text' } }], /message 1 has no role/],
    [[{ role: 'assistant', content: [{ type: 'tool_use', id: '1' }] }], /tool use 1 has no result/],
    [
      [
        { role: 'assistant', content: [{ type: 'tool_use', id: '1' }] },
        { role: 'user', content: { type: 'tool_result', toolUseId: '1' } },
      ],
      undefined,
    ],
    [
      [
        { role: 'assistant', content: [{ type: 'tool_use', id: '1' }] },
        { role: 'user', content: [{ type: 'tool_result', toolUseId: '1' }, { type: 'text' }] },
      ],
      /mixes tool results/,
    ],
    [[{ role: 'user', content: { type: 'tool_result', toolUseId: '9' } }], /no tool use precedes it/],
  ])('messages %j are judged %p', (messages, fault) => {
    const found = samplingFault(messages)
    if (fault) expect(found).toMatch(fault)
    else expect(found).toBeUndefined()
  })
})

describe('confirm and askFor', () => {
  test('run after a yes, and not after a no', async () => {
    ran.length = 0
    const yes = await connect(kit, { onQuestion: alwaysAnswer('accept') })
    expect(await textOf(yes, 'remove_hive', { hive: 'ML-01' })).toBe('removed')
    await yes.close()
    const no = await connect(kit, { onQuestion: alwaysAnswer('decline') })
    expect(await textOf(no, 'remove_hive', { hive: 'ML-02' })).toBe(
      'The person was asked and declined. Nothing was done.',
    )
    expect(await textOf(no, 'move_hive')).toMatch(/declined/)
    await no.close()
    expect(ran).toStrictEqual([{ hive: 'ML-01' }])
  })

  test('report that the host cannot ask, unless asking is optional', async () => {
    const link = await connect(kit)
    expect(await textOf(link, 'remove_hive', { hive: 'x' })).toMatch(/runs only after a person has agreed/)
    expect(await textOf(link, 'move_hive')).toBe('moved')
    expect(await textOf(link, 'weigh', { hive: 'x' })).toMatch(/needs kg, and this host cannot ask the user/)
    await link.close()
  })

  test('ask only for missing values', async () => {
    const unanswered: string[] = []
    const onQuestion = answersFrom([{ about: 'needs to know', action: 'accept', content: { kg: 40 } }], (message) =>
      unanswered.push(message),
    )
    const link = await connect(kit, { onQuestion })
    expect(await textOf(link, 'weigh', { hive: 'x', kg: 5 })).toBe('x 5')
    expect(await textOf(link, 'weigh', { hive: 'x' })).toBe('x 40')
    expect(await textOf(link, 'weigh', { hive: 'x' })).toMatch(/closed the question without an answer/)
    expect(unanswered).toHaveLength(1)
    await link.close()
  })

  test('are refused at definition if they cannot work', () => {
    const define = (askFor: 'deep'[]) => () =>
      tool('t', { about: 'x', effect: 'read', input: z.object({ deep: z.object({}) }), askFor, run: () => 1 })
    expect(define(['nope' as 'deep'])).toThrow(/the name of one of its arguments/)
    expect(define(['deep'])).toThrow(/cannot be part of a form/)
  })
})

test.each([
  ['no object as result', { result: 5 }],
  ['a result and an error', { result: {}, error: { code: 1, message: 'x' } }],
  ['another version', { jsonrpc: '1.0', result: { action: 'accept', content: { kg: 3 } } }],
])('an answer that is not a response (%s) fails the question at once', async (_, answer) => {
  const session = new RawSession(kit)
  await session.initialize('2025-11-25', { elicitation: {} })
  session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
  const called = session.ask('tools/call', { name: 'plain_form' })
  const { id } = await session.until(({ method }) => method === 'elicitation/create')
  session.give({ jsonrpc: '2.0', id, ...answer })
  expect(await called).toMatchObject({ result: { isError: true } })
})

test('an invalid answer in a batch fails its question', async () => {
  const session = new RawSession(kit)
  await session.initialize('2025-03-26', { roots: {} })
  session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
  const called = session.ask('tools/call', { name: 'folders' })
  const { id } = await session.until(({ method }) => method === 'roots/list')
  session.give([{ jsonrpc: '2.0', id, result: [] }])
  expect(await called).toMatchObject({ result: { isError: true } })
})

test('an invalid answer over HTTP is refused, and fails its question', async () => {
  const handler = fetchHandler(kit)
  let sessionId: string | undefined
  const post = async (message: object) => {
    const headers = {
      'content-type': 'application/json',
      accept: 'application/json, text/event-stream',
      ...(sessionId === undefined ? {} : { 'mcp-session-id': sessionId }),
    }
    const body = JSON.stringify({ jsonrpc: '2.0', ...message })
    return handler(new Request('http://localhost/mcp', { method: 'POST', headers, body }))
  }
  const client = {
    protocolVersion: '2025-11-25',
    capabilities: { roots: {} },
    clientInfo: { name: 't', version: '1' },
  }
  const opened = await post({ id: 1, method: 'initialize', params: client })
  sessionId = opened.headers.get('mcp-session-id') ?? ''
  await post({ method: 'notifications/initialized' })
  const called = await post({ id: 2, method: 'tools/call', params: { name: 'folders' } })
  const reader = called.body?.pipeThrough(new TextDecoderStream()).getReader()
  let text = ''
  const until = async (pattern: RegExp) => {
    while (!pattern.test(text)) text += (await reader?.read())?.value ?? ''
    return pattern.exec(text)?.[1] ?? ''
  }
  const id = JSON.parse(await until(/"id":("[^"]+"|\d+),"method":"roots\/list"/))
  expect((await post({ id, result: 7 })).status).toBe(400)
  await until(/"isError":true/)
  await handler.close()
})
