import { content, defineKit, noOutput, type Part, prompt, Refusal, resource, template, tool } from 'jexo'
import { z } from 'zod'
import { restore, stateIn, stateOf } from '../../src/engine/session-state.js'
import { outcome } from '../../src/kit/outcome.js'
import { verbatim } from '../../src/kit/verbatim.js'
import { RawSession } from '../support/raw-session.js'

const about = 'x'
const open = (parts: readonly Part[], revision?: string) =>
  RawSession.open(defineKit({ name: 'k', version: '1', parts }), revision)
const failing = (): never => {
  throw new Error('no honey')
}
const reason = (pattern: string) => expect.stringMatching(pattern)
const fault = (pattern: string) => ({ error: { code: -32603, message: reason(pattern) } })

describe('a resource', () => {
  const read = async (returned: () => unknown, more: object = {}) => {
    const session = await open([resource('a://b', { name: 'b', about, ...more, read: returned as never })])
    return session.ask('resources/read', { uri: 'a://b' })
  }
  const uri = 'a://b'
  const embedded = (text: string) => content.embed({ uri: `a://${text}`, text })

  test.each<[string, unknown, object, object[]]>([
    ['text', 'x', {}, [{ uri, mimeType: 'text/plain', text: 'x' }]],
    ['text of a type', 'x', { mimeType: 'text/csv' }, [{ uri, mimeType: 'text/csv', text: 'x' }]],
    ['bytes', new Uint8Array([1]), {}, [{ uri, mimeType: 'application/octet-stream', blob: 'AQ==' }]],
    [
      'bytes of a type',
      new Uint8Array([1]),
      { mimeType: 'image/png' },
      [{ uri, mimeType: 'image/png', blob: 'AQ==' }],
    ],
    [
      'an object',
      { a: new Date(0) },
      {},
      [{ uri, mimeType: 'application/json', text: '{"a":"1970-01-01T00:00:00.000Z"}' }],
    ],
    ['null', null, {}, [{ uri, mimeType: 'application/json', text: 'null' }]],
    ['an empty list', [], {}, [{ uri, mimeType: 'application/json', text: '[]' }]],
    ['contents', embedded('one'), {}, [{ uri: 'a://one', text: 'one' }]],
    [
      'several contents',
      [embedded('one'), embedded('two')],
      {},
      [
        { uri: 'a://one', text: 'one' },
        { uri: 'a://two', text: 'two' },
      ],
    ],
    [
      'contents of another server',
      verbatim({ contents: [{ uri, text: 'y' }], extra: 1 }),
      {},
      [{ uri, text: 'y' }],
    ],
  ])('may return %s', async (_what, returned, more, contents) => {
    expect((await read(() => returned, more)).result.contents).toStrictEqual(contents)
  })

  test('may not mix contents and values, nor return other blocks as contents', async () => {
    expect((await read(() => [embedded('one'), 'x'])).result.contents[0].mimeType).toBe('application/json')
    expect((await read(() => content.text('x'))).result.contents[0].mimeType).toBe('application/json')
  })

  test('that returns nothing, or what JSON cannot hold, is a fault of the server', async () => {
    expect(await read(() => undefined)).toMatchObject(
      fault('reading a://b returned undefined: is a "return" missing'),
    )
    expect(await read(() => ({ a: () => 1 }))).toMatchObject(fault('cannot hold: a is a function'))
    expect(await read(failing)).toMatchObject(fault('^reading a://b failed \\(error [0-9a-f]{8}\\)'))
    const refused = await read(() => {
      throw new Refusal('Not on Sundays.')
    })
    expect(refused.error).toStrictEqual({ code: -32002, message: 'Not on Sundays.', data: { uri } })
  })

  test('of a listing template is listed in the order of the parts, once, and one list that fails hides no other', async () => {
    const listing = (name: string, list: (() => object[]) | undefined) =>
      template(`${name}://{x}`, { name, about, read: () => 'x', ...(list ? { list: list as never } : {}) })
    const fixed = (name: string) => resource(`f://${name}`, { name, about, read: () => 'x' })
    const item = (uri: string) => ({ uri, name: uri.slice(4) })
    const session = await open([
      fixed('a'),
      listing('one', () => [item('one:b'), item('one:a'), item('f://c')]),
      listing('none', undefined),
      listing('bad', failing),
      fixed('c'),
      listing('two', () => [item('two:z')]),
      listing('nil', () => undefined as never),
    ])
    const { result } = await session.ask('resources/list')
    expect(result.resources.map((one: { uri: string }) => one.uri)).toStrictEqual([
      'f://a',
      'one:b',
      'one:a',
      'f://c',
      'two:z',
    ])
    expect(session.reports).toMatchObject([{ level: 'error', text: reason('the list of bad://\\{x\\} failed') }])
  })

  test('is subscribed by URI, up to 1,000 in a session, and URIs have 8,192 characters at most', async () => {
    const session = await open([template('a://{x}', { name: 'a', about, read: () => 'x' })])
    const subscribe = (uri: string) => session.ask('resources/subscribe', { uri })
    for (let at = 0; at < 1000; at++) expect((await subscribe(`a://${at}`)).result).toStrictEqual({})
    expect((await subscribe('a://more')).error.message).toMatch(/1000 subscriptions already/)
    expect((await subscribe('a://5')).result).toStrictEqual({})
    expect((await session.ask('resources/unsubscribe', { uri: 'a://5' })).result).toStrictEqual({})
    expect((await session.ask('resources/unsubscribe', { uri: 'a://5' })).result).toStrictEqual({})
    expect((await subscribe('a://more')).result).toStrictEqual({})
    const long = (length: number) => `a://${'x'.repeat(length - 4)}`
    expect((await session.ask('resources/read', { uri: long(8192) })).result).toBeDefined()
    expect((await session.ask('resources/read', { uri: long(8193) })).error).toMatchObject({
      code: -32602,
      message: reason('8192'),
    })
  })
})

describe('a prompt', () => {
  const text = (value: string) => ({ type: 'text', text: value })
  const get = async (returned: unknown) => {
    const session = await open([prompt('p', { about, run: (() => returned) as never })])
    return session.ask('prompts/get', { name: 'p' })
  }

  test.each<[string, unknown, object[]]>([
    ['text', 'Hi', [{ role: 'user', content: text('Hi') }]],
    ['a block', content.text('Hi'), [{ role: 'user', content: text('Hi') }]],
    ['a message', { role: 'assistant', content: 'Hi' }, [{ role: 'assistant', content: text('Hi') }]],
    ['a message with a block', { role: 'user', content: text('Hi') }, [{ role: 'user', content: text('Hi') }]],
    [
      'several',
      ['a', { role: 'assistant', content: 'b' }],
      [
        { role: 'user', content: text('a') },
        { role: 'assistant', content: text('b') },
      ],
    ],
  ])('may return %s', async (_what, returned, messages) => {
    expect((await get(returned)).result).toStrictEqual({ description: 'x', messages })
  })

  test.each<[unknown, string]>([
    [undefined, 'returned undefined, not a string, or messages'],
    [5, 'returned 5'],
    [{ role: 'model', content: 'Hi' }, 'returned {"role":"model"'],
    [{ role: 'user', content: 5 }, 'returned {"role":"user","content":5}'],
    [{ role: 'user' }, 'returned {"role":"user"}'],
    [['a', 5], 'returned 5'],
  ])('may not return %j', async (returned, message) => {
    expect(await get(returned)).toMatchObject({
      error: { code: -32603, message: expect.stringContaining(message) },
    })
  })

  test('of another server is passed on, and its arguments are an object', async () => {
    const messages = [{ role: 'user', content: text('x') }]
    expect((await get(verbatim({ messages, description: 'Other.' }))).result).toStrictEqual({
      messages,
      description: 'Other.',
    })
    const session = await open([prompt('p', { about, run: () => 'x' })])
    const { error } = await session.ask('prompts/get', { name: 'p', arguments: ['x'] })
    expect(error).toMatchObject({ code: -32602, message: reason('"arguments" must be an object') })
    expect((await session.ask('prompts/get', { name: 'zzzzzz' })).error.message).toMatch(/unknown prompt "zzzzzz"$/)
  })
})

describe('completions', () => {
  const complete = async (returned: () => unknown) => {
    const session = await open([
      template('a://{x}', { name: 'a', about, read: () => 'x', complete: { x: returned as never } }),
    ])
    const ask = (ref: unknown, name = 'x', more: object = {}) =>
      session.ask('completion/complete', { ref, argument: { name, value: '' }, ...more })
    return { ask, found: await ask({ type: 'ref/resource', uri: 'a://{x}' }) }
  }
  const values = (count: number) => Array.from({ length: count }, (_, at) => String(at))

  test.each([
    [99, 99, false],
    [100, 100, false],
    [101, 100, true],
  ])('%i values are %i, with more: %s', async (count, shown, hasMore) => {
    const { found } = await complete(() => values(count))
    expect(found.result).toStrictEqual({ completion: { values: values(shown), total: count, hasMore } })
  })

  test('of another server are passed on, and a failure is an error', async () => {
    const completion = { values: ['x'], total: 9 }
    expect((await complete(() => verbatim({ completion }))).found.result).toStrictEqual({ completion })
    expect((await complete(failing)).found).toMatchObject(fault('completing x of a://\\{x\\} failed'))
  })

  test.each([
    { type: 'ref/prompt', uri: 'a://{x}' },
    { type: 'ref/resource', name: 'a://{x}' },
    { type: 'ref/resource', uri: 5 },
    { uri: 'a://{x}' },
    'a://{x}',
    undefined,
  ])('are refused for %j', async (ref) => {
    const { ask } = await complete(() => [])
    expect((await ask(ref)).error).toMatchObject({ code: -32602, message: reason('"ref" must be') })
  })

  test('get only arguments that are text', async () => {
    const filled: unknown[] = []
    const session = await open([
      prompt('p', {
        about,
        input: z.object({ a: z.string(), b: z.string() }),
        run: () => 'x',
        complete: { a: (_, call) => [String(filled.push(call.filled))] },
      }),
    ])
    const ref = { type: 'ref/prompt', name: 'p' }
    for (const context of [{ arguments: { b: 'x', c: 5 } }, { arguments: 'x' }, 'x', undefined])
      await session.ask('completion/complete', { ref, argument: { name: 'a', value: '' }, context })
    expect(filled).toStrictEqual([{ b: 'x' }, {}, {}, {}])
  })
})

describe('a tool', () => {
  const call = async (options: object, run: () => unknown) => {
    const session = await open([tool('t', { about, effect: 'read', ...options, run } as never)])
    return { session, result: (await session.ask('tools/call', { name: 't', arguments: {} })).result }
  }
  const output = { type: 'object', properties: { kg: { type: 'number' } }, required: ['kg'] }
  const block = { type: 'text', text: 'Note.' }
  const ok = (value: object) => ({
    structuredContent: value,
    content: [{ type: 'text', text: JSON.stringify(value) }],
  })

  test.each<[string, object, unknown, object]>([
    ['a number', {}, 5, { content: [{ type: 'text', text: '5' }] }],
    ['a text', {}, 'x', { content: [{ type: 'text', text: 'x' }] }],
    ['nothing on purpose', { output: noOutput }, undefined, { content: [] }],
    ['blocks without output', { output: noOutput }, content.text('Note.'), { content: [block] }],
    ['an object', { output }, { kg: 1 }, ok({ kg: 1 })],
    ['blocks of an outcome', {}, outcome({ blocks: [content.text('Note.')] } as never), { content: [block] }],
    [
      'an outcome',
      {},
      outcome({ blocks: [content.text('Note.')], structured: { kg: 1 } } as never),
      { ...ok({ kg: 1 }), content: [...ok({ kg: 1 }).content, block] },
    ],
    ['a checked outcome', { output }, outcome({ blocks: [], structured: { kg: 1 } } as never), ok({ kg: 1 })],
    [
      'a result of another server',
      { output },
      verbatim({ content: [], isError: true }),
      { content: [], isError: true },
    ],
  ])('may return %s', async (_what, options, returned, expected) => {
    expect((await call(options, () => returned)).result).toStrictEqual(expected)
  })

  test.each<[string, object, unknown, string]>([
    ['nothing', {}, undefined, 'returned undefined: is a "return" missing'],
    ['a function', {}, { a: () => 1 }, 'cannot hold: a is a function'],
    ['another object', { output }, { kg: 'x' }, 'does not allow: kg: must be number'],
    [
      'no object',
      {
        output: {
          type: 'object',
          '~standard': {
            version: 1,
            vendor: 'own',
            validate: () => ({ value: 5 }),
            jsonSchema: { input: () => output, output: () => output },
          },
        },
      },
      5,
      'does not allow: it is not an object',
    ],
    [
      'an outcome that does not fit',
      { output },
      outcome({ blocks: [block], structured: {} } as never),
      'does not allow: kg: it is required',
    ],
  ])('may not return %s', async (_what, options, returned, message) => {
    const { session, result } = await call(options, () => returned)
    expect(result.isError).toBe(true)
    expect(result.content).toHaveLength(1)
    expect(result.content[0].text).toContain(message)
    expect(session.reports).toMatchObject([{ level: 'error', text: expect.stringContaining(message) }])
  })

  test('with a note for the operator writes it to the log', async () => {
    const { session } = await call({}, () => outcome({ blocks: [], operatorNote: 'Scale is slow.' } as never))
    expect(session.reports).toStrictEqual([{ level: 'warning', text: 'tool t: Scale is slow.' }])
  })

  test('whose schema transforms asynchronously gets the value as it was returned', async () => {
    const late = z
      .object({ at: z.date() })
      .transform(async ({ at }) => ({ at: at.getTime() }))
      .pipe(z.object({ at: z.number() }))
    expect((await call({ output: late }, () => ({ at: new Date(5) }))).result.structuredContent).toStrictEqual({
      at: 5,
    })
    const plain = z.object({ kg: z.number() }).refine(async () => true)
    expect(
      (await call({ output: plain }, () => ({ kg: 1, at: new Date(0) }))).result.structuredContent,
    ).toMatchObject({ kg: 1 })
    const refused = await call({ output: plain }, () => ({ kg: 'x', at: new Date(0) }))
    expect(refused.result.content[0].text).toContain('does not allow: kg')
  })

  test('that is unknown is refused with close names, if there are any', async () => {
    const session = await open([tool('weigh', { about, effect: 'read', run: () => 1 })])
    const message = async (name: string) => (await session.ask('tools/call', { name })).error.message
    expect(await message('wigh')).toMatch(/wigh.*did you mean weigh/)
    expect(await message('zzzzzzzz')).not.toContain('closest')
  })
})

describe('the state of a session', () => {
  const state = {
    isReady: true,
    revision: '2025-11-25',
    client: { name: 'c', version: '1' },
    clientCapabilities: { roots: {} },
    logLevel: 'info',
  }

  test('is read back as it was written', async () => {
    const [first, second] = [await open([]), new RawSession(defineKit({ name: 'k', version: '1', parts: [] }))]
    const written = stateOf(first.engine)
    expect(written).toStrictEqual({
      isReady: true,
      revision: '2025-11-25',
      client: { name: 'test', version: '1' },
      clientCapabilities: {},
      logLevel: expect.any(String),
    })
    expect(stateOf(second.engine).isReady).toBe(false)
    restore(second.engine, { ...written, revision: '2025-03-26', logLevel: 'error' } as never)
    expect(stateOf(second.engine)).toStrictEqual({ ...written, revision: '2025-03-26', logLevel: 'error' })
    restore(second.engine, { ...written, isReady: false } as never)
    expect(second.engine.phase).toBe('initializing')
    expect(stateIn(JSON.parse(JSON.stringify(written)))).toStrictEqual(written)
    expect(stateIn({ ...state, client: undefined })).toStrictEqual({ ...state, client: undefined })
  })

  test.each([
    5,
    null,
    {},
    { isReady: 'yes' },
    { revision: 5 },
    { revision: '2031-01-01' },
    { logLevel: 'loud' },
    { clientCapabilities: [] },
    { clientCapabilities: undefined },
    { client: 'c' },
    { client: null },
  ])('with %j is refused', (change) => {
    const isPart = typeof change === 'object' && change !== null && Object.keys(change).length > 0
    expect(stateIn(isPart ? { ...state, ...change } : change)).toBeUndefined()
  })
})

describe('replies of the host', () => {
  const session = async (run: (call: never) => unknown, capabilities: object) => {
    const raw = new RawSession(
      defineKit({
        name: 'k',
        version: '1',
        parts: [tool('t', { about, effect: 'read', run: ((_: unknown, call: never) => run(call)) as never })],
      }),
    )
    await raw.initialize('2025-11-25', capabilities)
    raw.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
    return async (method: string, result: unknown) => {
      const called = raw.ask('tools/call', { name: 't' })
      const request = await raw.until((message) => message.method === method)
      raw.give({ jsonrpc: '2.0', id: request.id, result })
      return { request, text: (await called).result.content[0].text }
    }
  }

  test.each<[unknown, string]>([
    [
      { roots: [{ uri: 'file:///a', name: 'A' }, { name: 'B' }, 5, { uri: 5 }] },
      '^\\[\\{"uri":"file:///a","name":"A"\\}\\]$',
    ],
    [{ roots: [] }, '^\\[\\]$'],
    [{ roots: 'x' }, '"roots" is not an array'],
    [{}, '"roots" is not an array'],
  ])('%j to a request for folders', async (result, expected) => {
    const reply = await session((call: { roots(): unknown }) => call.roots(), { roots: {} })
    expect((await reply('roots/list', result)).text).toMatch(new RegExp(expected))
  })

  const asking = (question: object, capabilities: object = { sampling: {} }) =>
    session(
      (call: { askModel(question: object): unknown }) => call.askModel({ maxTokens: 5, ...question }),
      capabilities,
    )
  const hi = { role: 'user', content: 'Hi' }

  test.each<[unknown, string]>([
    [{ role: 'assistant', model: 'm', content: { type: 'text', text: 'Yes' } }, '"text":"Yes"'],
    [{ role: 'assistant', model: 'm', content: [{ type: 'text', text: 'Yes' }] }, '"text":"Yes"'],
    [{ role: 'assistant', model: 'm', content: 'Yes' }, '"content" is missing'],
    [{}, '"content" is missing'],
  ])('%j to a request for a model', async (result, expected) => {
    const reply = await asking({ messages: [hi] })
    const { request, text } = await reply('sampling/createMessage', result)
    expect(text).toContain(expected)
    expect(request.params.messages).toStrictEqual([{ role: 'user', content: { type: 'text', text: 'Hi' } }])
  })

  const several = {
    role: 'user',
    content: [
      { type: 'text', text: 'a' },
      { type: 'text', text: 'b' },
    ],
  }
  const withTools = { sampling: { tools: {} } }
  test.each<[object, object, string]>([
    [{ messages: [several] }, {}, 'take several blocks in a message'],
    [{ messages: [hi], toolChoice: { mode: 'auto' } }, {}, 'offer tools to a model'],
    [{ messages: [hi], includeContext: 'thisServer' }, {}, 'include context of servers'],
    [{ messages: [hi], includeContext: 'allServers' }, withTools.sampling, 'include context of servers'],
    [
      { messages: [{ role: 'user', content: [{ type: 'tool_result', toolUseId: 'x', content: [] }] }] },
      { tools: {} },
      'message 1 has tool results, but no tool use precedes it',
    ],
  ])('a request %j to a model with %j is refused', async (question, sampling, expected) => {
    const raw = new RawSession(
      defineKit({
        name: 'k',
        version: '1',
        parts: [
          tool('t', {
            about,
            effect: 'read',
            run: (_, call) => call.askModel({ maxTokens: 5, ...question } as never),
          }),
        ],
      }),
    )
    await raw.initialize('2025-11-25', { sampling })
    raw.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
    const { result } = await raw.ask('tools/call', { name: 't' })
    expect(result.isError).toBe(true)
    expect(result.content[0].text).toContain(expected)
  })

  test.each<[object, object]>([
    [{ messages: [several] }, withTools],
    [{ messages: [hi], toolChoice: { mode: 'auto' } }, withTools],
    [{ messages: [hi], includeContext: 'none' }, { sampling: {} }],
    [{ messages: [hi], includeContext: 'thisServer' }, { sampling: { context: {} } }],
  ])('a request %j is sent to a host with %j', async (question, capabilities) => {
    const reply = await asking(question, capabilities)
    expect(
      (
        await reply('sampling/createMessage', {
          role: 'assistant',
          model: 'm',
          content: { type: 'text', text: 'Yes' },
        })
      ).text,
    ).toContain('Yes')
  })
})
