import { defineKit, prompt, resource } from 'jexo'
import { z } from 'zod'
import { revisions } from '../../src/protocol/revisions.js'
import { RawSession } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const dates = revisions.map(({ date }) => date)

describe('resources', () => {
  test('lists fixed resources and those that a template lists', async () => {
    const session = await RawSession.open(sampleKit())
    const { resources } = (await session.ask('resources/list')).result
    expect(resources.map((listed: { uri: string }) => listed.uri)).toStrictEqual([
      'sample://counter',
      'sample://bytes',
      'sample://both',
      'sample://words/ant',
      'sample://words/bee',
      'sample://words/cat',
    ])
    expect((await session.ask('resources/templates/list')).result.resourceTemplates).toMatchObject([
      { uriTemplate: 'sample://words/{word}', name: 'word' },
    ])
  })

  test.each([
    ['sample://bytes', [{ mimeType: 'application/octet-stream', blob: 'AQL/' }]],
    ['sample://counter', [{ mimeType: 'application/json', text: '{"value":0}' }]],
    ['sample://words/a%20b', [{ mimeType: 'text/plain', text: 'the word a b' }]],
    [
      'sample://both',
      [
        { uri: 'sample://both#1', text: 'one' },
        { uri: 'sample://both#2', blob: 'Bw==' },
      ],
    ],
  ])('reads %s', async (uri, contents) => {
    const session = await RawSession.open(sampleKit())
    expect((await session.ask('resources/read', { uri })).result.contents).toMatchObject(contents)
  })

  test.each(['sample://none', 'sample://words/dog', 'sample://words/a/b', 'not a uri'])(
    'says that %s is not there',
    async (uri) => {
      const session = await RawSession.open(sampleKit())
      expect((await session.ask('resources/read', { uri })).error).toMatchObject({ code: -32002, data: { uri } })
    },
  )

  test('notifies subscribers, and only them, of a change', async () => {
    const session = await RawSession.open(sampleKit())
    await session.ask('tools/call', { name: 'count' })
    expect(session.methods()).toStrictEqual([])
    await session.ask('resources/subscribe', { uri: 'sample://counter' })
    await session.ask('tools/call', { name: 'count' })
    expect(session.sent.filter((message) => message.method)).toMatchObject([
      { method: 'notifications/resources/updated', params: { uri: 'sample://counter' } },
    ])
    await session.ask('resources/unsubscribe', { uri: 'sample://counter' })
    await session.ask('tools/call', { name: 'count' })
    expect(session.methods()).toHaveLength(1)
    expect((await session.ask('resources/subscribe', { uri: 'sample://none' })).error.code).toBe(-32002)
  })

  test.each(dates)('shows %s no annotation that its revision does not have', async (date) => {
    const session = await RawSession.open(sampleKit(), date)
    const { resources } = (await session.ask('resources/list')).result
    expect('lastModified' in resources[1].annotations).toBe(date >= '2025-06-18')
    expect(resources[1].annotations.priority).toBe(0.5)
  })
})

describe('pages', () => {
  const numbered = (numbers: number[]) =>
    numbers.map((number) => resource(`x://${number}`, { name: `n${number}`, about: 'x', read: () => '' }))
  const uris = (page: { resources: { uri: string }[] }) => page.resources.map(({ uri }) => uri)

  test('can be read to the end', async () => {
    const kit = defineKit({ name: 'x', version: '1', parts: numbered([1, 2, 3, 4, 5]) })
    const session = await RawSession.open(kit, '2025-11-25', { pageSize: 2 })
    const seen: string[] = []
    let cursor: string | undefined
    do {
      const page = (await session.ask('resources/list', cursor ? { cursor } : {})).result
      seen.push(...uris(page))
      cursor = page.nextCursor
    } while (cursor)
    expect(seen).toStrictEqual(['x://1', 'x://2', 'x://3', 'x://4', 'x://5'])
  })

  test('a cursor stays valid after a change: nothing is skipped or repeated', async () => {
    const first = numbered([1, 2, 3, 4])
    const kit = defineKit({ name: 'x', version: '1', parts: first })
    const session = await RawSession.open(kit, '2025-11-25', { pageSize: 2 })
    const { nextCursor } = (await session.ask('resources/list')).result
    kit.replace([...numbered([0]), ...first.slice(2)])
    expect(uris((await session.ask('resources/list', { cursor: nextCursor })).result)).toStrictEqual([
      'x://3',
      'x://4',
    ])
  })

  test('include the resources of a template', async () => {
    const session = await RawSession.open(sampleKit(), '2025-11-25', { pageSize: 4 })
    const page = (await session.ask('resources/list')).result
    expect(uris(page)).toHaveLength(4)
    expect(uris((await session.ask('resources/list', { cursor: page.nextCursor })).result)).toStrictEqual([
      'sample://words/bee',
      'sample://words/cat',
    ])
  })

  test.each(['nonsense', '', 5, 'dG9vbHM6MTow', 'cmVzb3VyY2VzOjk5Ojk5OQ'])(
    'a cursor %p is refused',
    async (cursor) => {
      const session = await RawSession.open(sampleKit(), '2025-11-25', { pageSize: 2 })
      expect((await session.ask('resources/list', { cursor })).error.code).toBe(-32602)
    },
  )
})

describe('prompts', () => {
  test('are listed with their arguments and filled', async () => {
    const session = await RawSession.open(sampleKit())
    expect((await session.ask('prompts/list')).result.prompts).toMatchObject([
      { name: 'greet', arguments: [{ name: 'name', description: 'Who', required: true }, { name: 'tone' }] },
    ])
    const { result } = await session.ask('prompts/get', { name: 'greet', arguments: { name: 'Ada', tone: 'warm' } })
    expect(result.messages).toStrictEqual([
      { role: 'user', content: { type: 'text', text: 'Hello Ada' } },
      { role: 'assistant', content: { type: 'text', text: 'warm' } },
    ])
  })

  test.each([
    [{ name: 'greet' }, /needs "name"/],
    [{ name: 'greet', arguments: { name: 5 } }, /must be a string/],
    [{ name: 'greet', arguments: { name: 'A', tone: 'rude' } }, /tone/],
    [{ name: 'gret' }, /did you mean greet/],
  ])('refuse %j', async (params, message) => {
    const session = await RawSession.open(sampleKit())
    const { error } = await session.ask('prompts/get', params)
    expect(error.code).toBe(-32602)
    expect(error.message).toMatch(message)
  })
})

describe('completion', () => {
  const complete = async (session: RawSession, ref: object, name: string, value: string, filled = {}) =>
    session.ask('completion/complete', { ref, argument: { name, value }, context: { arguments: filled } })
  const greet = { type: 'ref/prompt', name: 'greet' }

  test('returns at most a hundred values, and says that there are more', async () => {
    const session = await RawSession.open(sampleKit())
    const { completion } = (
      await complete(session, { type: 'ref/resource', uri: 'sample://words/{word}' }, 'word', 'w')
    ).result
    expect(completion.values).toHaveLength(100)
    expect(completion).toMatchObject({ total: 120, hasMore: true })
  })

  test('completes enums by itself, and gets the other arguments from revision 2025-06-18 on', async () => {
    const session = await RawSession.open(sampleKit())
    expect((await complete(session, greet, 'tone', 'w')).result.completion.values).toStrictEqual(['warm'])
    expect((await complete(session, greet, 'name', 'A', { tone: 'warm' })).result.completion.values).toStrictEqual([
      'A!',
      'warm',
    ])
    const older = await RawSession.open(sampleKit(), '2025-03-26')
    expect((await complete(older, greet, 'name', 'A', { tone: 'warm' })).result.completion.values).toStrictEqual([
      'A!',
      'no tone',
    ])
  })

  test('is declared only if an argument has completions; others have none', async () => {
    const run = ({ hive }: { hive: string }) => `Weigh ${hive}.`
    const plain = prompt('plain', { about: 'x', input: z.object({ hive: z.string() }), run })
    const choice = z.object({ tone: z.enum(['warm', 'plain']), hive: z.string() })
    const chosen = prompt('chosen', { about: 'x', input: choice, run })
    const opened = async (parts: readonly (typeof plain | typeof chosen)[]) => {
      const session = new RawSession(defineKit({ name: 'k', version: '1', parts }))
      const { capabilities } = (await session.initialize('2025-11-25')).result
      session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
      return { session, capabilities }
    }
    expect((await opened([plain])).capabilities).not.toHaveProperty('completions')
    const { session, capabilities } = await opened([plain, chosen])
    expect(capabilities).toHaveProperty('completions', {})
    const found = await complete(session, { type: 'ref/prompt', name: 'chosen' }, 'hive', 'M')
    expect(found.result.completion).toStrictEqual({ values: [], total: 0, hasMore: false })
  })

  test('works in the first revision without a capability', async () => {
    const session = await RawSession.open(sampleKit(), '2024-11-05')
    expect((await complete(session, greet, 'tone', '')).result.completion.values).toStrictEqual(['warm', 'plain'])
  })

  test.each([
    [{ type: 'ref/prompt', name: 'none' }, 'name'],
    [{ type: 'ref/resource', uri: 'none://' }, 'word'],
    [{ type: 'ref/other' }, 'x'],
    [greet, 'unknown'],
  ])('refuses %j %s', async (ref, name) => {
    const session = await RawSession.open(sampleKit())
    expect((await complete(session, ref, name, '')).error.code).toBe(-32602)
  })

  test.each([undefined, 'tone', { name: 5, value: '' }, { name: 'tone', value: 5 }, { name: 'tone' }])(
    'refuses the argument %j',
    async (argument) => {
      const session = await RawSession.open(sampleKit())
      const { error } = await session.ask('completion/complete', { ref: greet, argument })
      expect(error.code).toBe(-32602)
    },
  )
})
