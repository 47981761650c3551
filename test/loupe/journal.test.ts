import { marksBetween, marksText } from '../../src/loupe/catalogue-marks.js'
import { readClientSide } from '../../src/loupe/client-side.js'
import { copiesOf } from '../../src/loupe/copies.js'
import { Journal } from '../../src/loupe/journal.js'
import { slimmed } from '../../src/loupe/slim.js'
import { standInModel } from '../../src/models/stand-in-model.js'
import { caseStem, caseText } from '../../src/replay/case-file.js'
import { scoreOf } from '../../src/score/score.js'
import type { TapeEntry, TapeEvent } from '../../src/tape/entry.js'

const large = (text: string): TapeEvent => ({
  kind: 'message',
  from: 'server',
  message: { jsonrpc: '2.0', id: 1, result: { text } },
  bytes: text.length,
})

describe('the journal', () => {
  test('reports messages that arrive together in one event, and keeps the newest', async () => {
    const journal = new Journal(10)
    const heard: number[][] = []
    journal.listen((entries) => heard.push(entries.map(({ sequence }) => sequence)))
    for (let count = 1; count <= 30; count++) journal.add('t1', { kind: 'stderr', text: String(count) })
    await new Promise((done) => setImmediate(done))
    expect(heard).toHaveLength(1)
    expect(heard[0]).toHaveLength(30)
    expect(journal.all.length).toBeLessThanOrEqual(11)
    expect(journal.find(30)).toMatchObject({ text: '30' })
    expect(journal.find(1)).toBeUndefined()
    expect(journal.after(28).map(({ sequence }) => sequence)).toStrictEqual([29, 30])
  })

  test('keeps large messages whole while there is room, and the beginning of older ones', () => {
    const journal = new Journal(100, 100_000)
    for (let count = 0; count < 4; count++) journal.add('t1', large('x'.repeat(40_000)))
    const sizes = journal.all.map((entry) => JSON.stringify(entry).length > 40_000)
    expect(sizes).toStrictEqual([false, false, true, true])
    expect(journal.find(1)).toMatchObject({ bytes: 40_000, isCut: true })
  })
})

test('the page receives the visible part of a large message, and all of a small one', () => {
  const entry = { ...large('honey '.repeat(10_000)), sequence: 1, at: 1, target: 't' } as TapeEntry
  expect(JSON.stringify(slimmed(entry)).length).toBeLessThan(1000)
  expect(slimmed(entry)).toMatchObject({ isCut: true, bytes: 60_000 })
  const small = { ...large('honey'), sequence: 1, at: 1, target: 't' } as TapeEntry
  expect(slimmed(small)).toBe(small)
  const tools = Array.from({ length: 23 }, (_, at) => ({ name: `tool_${at}`, about: 'x'.repeat(1000) }))
  const list = { ...entry, bytes: 30_000, message: { jsonrpc: '2.0', id: 1, result: { tools } } } as never
  const twice = slimmed(slimmed(list))
  expect([...scoreOf([list])].map(({ detail }) => detail)).toStrictEqual(['tools [23]'])
  expect([...scoreOf([twice])].map(({ detail }) => detail)).toStrictEqual(['tools [23]'])
})

test('marks name new, changed and removed parts, and the changed fields', () => {
  const tool = (name: string, description: string) => ({ name, description, inputSchema: { type: 'object' } })
  const of = (...tools: ReturnType<typeof tool>[]) => ({ tools, resources: [], templates: [], prompts: [] })
  const marks = marksBetween(of(tool('a', 'x'), tool('b', 'x')), of(tool('b', 'y'), tool('c', 'x')))
  expect(marksText(marks)).toBe('changed tool b (description); new tool c; gone tool a')
  expect(marksBetween(of(tool('a', 'x')), of(tool('a', 'x')))).toStrictEqual({})
})

describe('a copy of a call', () => {
  const params = {
    name: 'add note',
    arguments: { text: "it's calm", deep: { a: [1] } },
    _meta: { progressToken: 1 },
  }

  test('quotes characters that a shell would interpret', () => {
    const { cli, shell } = copiesOf(
      { kind: 'child', command: { command: 'node', args: ['my server.mjs'] } },
      'exec:node x',
      'tools/call',
      params,
    )
    expect(cli).toBe(`jexo call 'exec:node x' 'add note' --args '{"text":"it'\\''s calm","deep":{"a":[1]}}'`)
    expect(shell).toMatch(/\| node 'my server\.mjs'$/)
    expect(shell).not.toContain('progressToken')
  })

  test('names secrets without their values', () => {
    const target = {
      kind: 'url',
      url: 'http://x/mcp',
      headers: { Authorization: 'Bearer s3cr3t', 'X-Site': 'Quarry' },
    } as const
    const { shell, typescript } = copiesOf(target, 'http://x/mcp', 'tools/call', params)
    expect(shell + typescript).not.toContain('s3cr3t')
    expect(shell).toContain('-H "Authorization: Bearer $API_TOKEN"')
    expect(shell).toContain("-H 'X-Site: Quarry'")
    expect(typescript).toMatch(/"Authorization": `Bearer \$\{process\.env\.API_TOKEN\}`/)
  })
})

describe('a case', () => {
  const call = {
    target: 'apiary.kit.ts',
    method: 'tools/call',
    params: { name: 'weigh_hive', arguments: { hive: 'ML-04' } },
  } as const

  test.each([
    [{ structuredContent: { kg: 3 }, content: [] }, { structured: { kg: 3 } }],
    [
      {
        content: [
          { type: 'text', text: 'a' },
          { type: 'image', data: '', mimeType: 'image/png' },
        ],
      },
      { text: 'a\n(image)' },
    ],
    [{ content: [{ type: 'text', text: 'no' }], isError: true }, { failure: 'no' }],
    [{ contents: [{ uri: 'x:y', text: 'read' }] }, { text: 'read' }],
    [{ messages: [{ role: 'user', content: { type: 'text', text: 'said' } }] }, { text: 'said' }],
  ])('expects the most significant fields of %j', async (result, expected) => {
    const { parse } = await import('yaml')
    expect(parse(caseText({ ...call, outcome: { result }, answers: [] }))).toStrictEqual({
      version: 1,
      target: 'apiary.kit.ts',
      steps: [{ call: 'weigh_hive', with: { hive: 'ML-04' }, expect: expected }],
    })
  })

  test('has a name that is valid in every file system', () => {
    expect(caseStem({ method: 'resources/read', params: { uri: 'apiary://hives/ML 04?x=é' } })).toBe(
      'apiary-hives-ML-04-x',
    )
    expect(caseStem({ method: 'tools/call', params: { name: '../..' } })).not.toContain('/')
  })
})

test('a client configuration is accepted completely, or refused with a reason', () => {
  const side = {
    declares: { roots: true },
    roots: [{ uri: 'file:///a', name: 'A' }],
    questions: 'nobody',
    model: 'canned',
    cannedReply: 'x',
  }
  expect(readClientSide(side)).toMatchObject({
    declares: { roots: true, sampling: false },
    questions: 'person',
    model: 'canned',
  })
  expect(readClientSide({ ...side, roots: [{ uri: 'http://a' }] })).toMatch(/not a file:\/\/ URI/)
  expect(readClientSide({ ...side, revision: '1999-01-01' })).toMatch(/unknown/)
  expect(readClientSide('x')).toMatch(/must be an object/)
})

test('the stand-in for a model repeats its reply, up to the requested length', () => {
  const request = {
    messages: [{ role: 'user', content: { type: 'text', text: 'Is it calm? '.repeat(50) } }],
    maxTokens: 10,
  } as never
  expect(standInModel(request)).toStrictEqual(standInModel(request))
  expect(standInModel(request)).toMatchObject({ model: 'jexo-stand-in', stopReason: 'maxTokens' })
})
