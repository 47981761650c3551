import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { coverageOf, readCase, saveTape } from 'jexo/replay'
import { callsOnTape } from '../../src/replay/cases-of-tape.js'
import type { TapeEntry } from '../../src/tape/entry.js'
import { bin, jexo, newFolder, Running, root, written } from '../support/cli.js'

const header = '{"version":1,"kind":"tape","startedAt":"2026-06-02T06:00:00Z","writer":"jexo"}'
let clock = 0
const said = (target: string, from: 'client' | 'server', message: object): TapeEntry =>
  ({
    at: ++clock,
    target,
    kind: 'message',
    from,
    message: { jsonrpc: '2.0', ...message },
    bytes: 9,
    sequence: clock,
  }) as TapeEntry
const opened = (target: string, label: string): TapeEntry =>
  ({ at: ++clock, target, kind: 'state', state: 'open', text: '', label, sequence: clock }) as TapeEntry

const entries: TapeEntry[] = [
  opened('a', 'http://127.0.0.1:4870/mcp'),
  said('a', 'client', { id: 1, method: 'initialize', params: {} }),
  said('a', 'client', {
    id: 2,
    method: 'tools/call',
    params: { name: 'add_note', arguments: { text: 'wax' }, _meta: { progressToken: 2 } },
  }),
  said('a', 'server', { id: 2, method: 'elicitation/create', params: { message: 'Add wax?' } }),
  said('a', 'client', { id: 2, result: { action: 'accept' } }),
  said('a', 'server', {
    id: 2,
    result: { content: [{ type: 'text', text: '{}' }], structuredContent: { id: 'n1' } },
  }),
  said('b', 'client', { id: 2, method: 'resources/read', params: { uri: 'notes://all' } }),
  said('a', 'client', { id: 3, method: 'tools/call', params: { name: 'get_note', arguments: { id: 'x' } } }),
  said('b', 'server', { id: 2, result: { contents: [{ uri: 'notes://all', text: 'one' }] } }),
  said('a', 'server', { id: 3, result: { content: [{ type: 'text', text: 'No.' }], isError: true } }),
  said('a', 'client', { id: 4, method: 'prompts/get', params: { name: 'sum' } }),
]

describe('a tape', () => {
  test('has its calls by session, with notifications during each call and calls without a response', () => {
    const [one, two] = callsOnTape(entries)
    expect(one).toMatchObject({ label: 'http://127.0.0.1:4870/mcp', unanswered: 1 })
    expect(one?.calls).toStrictEqual([
      expect.objectContaining({
        params: { name: 'add_note', arguments: { text: 'wax' } },
        answers: [{ about: 'Add wax?', action: 'accept' }],
      }),
      expect.objectContaining({ outcome: { result: { content: [{ type: 'text', text: 'No.' }], isError: true } } }),
    ])
    expect(two).toMatchObject({ label: 'b', calls: [{ method: 'resources/read' }], unanswered: 0 })
  })

  test('becomes readable case files, which are not overwritten', async () => {
    const folder = newFolder()
    const tape = join(folder, 'notes.tape.jsonl')
    writeFileSync(
      tape,
      `${[header, ...entries.map(({ sequence: _, ...entry }) => JSON.stringify(entry))].join('\n')}\n`,
    )
    const [one, two] = await saveTape(tape, join(folder, 'cases'))
    expect(one).toMatchObject({ steps: 2, unanswered: 1, target: 'http://127.0.0.1:4870/mcp' })
    expect(await readCase(one?.file ?? '')).toMatchObject({
      target: 'http://127.0.0.1:4870/mcp',
      steps: [
        { call: 'add_note', expect: { structured: { id: 'n1' } } },
        { call: 'get_note', expect: { failure: 'No.' } },
      ],
    })
    expect(readFileSync(two?.file ?? '', 'utf8')).toBe(
      'version: 1\nsteps:\n  - read: notes://all\n    expect:\n      text: one\n',
    )
    const [again] = await saveTape(tape, join(folder, 'cases'), 'notes.kit.ts')
    expect(again?.file).toMatch(/notes-1-2\.case\.yaml$/)
    const empty = join(folder, 'empty.tape.jsonl')
    writeFileSync(empty, `${header}\n`)
    await expect(saveTape(empty, folder)).rejects.toThrow(/has no calls, reads or prompts/)
  })
})

test('coverage lists parts, choices and refusals that no case tries', () => {
  const inputSchema = {
    type: 'object',
    properties: {
      site: { enum: ['Marsh Lane', 'Quarry Field'] },
      dry: { type: 'boolean' },
      by: {
        anyOf: [
          { type: 'object', properties: { kind: { const: 'code' } }, required: ['kind'] },
          { type: 'string' },
        ],
      },
    },
    required: ['site'],
  }
  const catalogue = {
    tools: [
      { name: 'weigh', inputSchema },
      { name: 'move', inputSchema },
    ],
    resources: [
      { uri: 'hives://all', name: 'all' },
      { uri: 'hives://one/1', name: 'one' },
    ],
    templates: [{ uriTemplate: 'hives://one/{id}', name: 'one' }],
    prompts: [],
  } as unknown as Parameters<typeof coverageOf>[0]
  const outcome = { text: '', durationMs: 1 }
  const ran = (step: object, more: object = {}) => ({
    label: '',
    differences: [],
    step: { expect: {}, ...step },
    outcome: { ...outcome, ...more },
  })
  const coverage = coverageOf(catalogue, [
    ran({ call: 'weigh', with: { site: 'Marsh Lane', dry: true, by: 'x' } }),
    ran({ read: 'hives://one/7' }),
  ])
  expect(coverage.parts).toStrictEqual({ all: 4, without: ['tool move', 'resource hives://all'] })
  expect(coverage.branches.without).toStrictEqual([
    'weigh: site = "Quarry Field"',
    'weigh: dry left out',
    'weigh: dry = false',
    'weigh: by left out',
    'weigh: by as choice 1 of 2',
  ])
  expect(coverage.refusals).toStrictEqual({ all: 1, without: ['weigh'] })
  const refused = coverageOf(catalogue, [ran({ call: 'weigh', with: { site: 'x' } }, { failure: 'No.' })])
  expect(refused.refusals.without).toStrictEqual([])
})

describe('jexo replay', () => {
  const kitText = (answer: string) => `import { defineKit, tool } from 'jexo'
export default defineKit({ name: 'notes', version: '1', parts: [tool('get_note', { about: 'One note.', effect: 'read', run: () => '${answer}' })] })`

  test('makes cases from a recorded tape, runs them, and runs them again when the kit changes', async () => {
    const kit = written('notes.kit.mjs', kitText('one'))
    const tape = join(kit, '../notes.tape.jsonl')
    const cases = join(kit, '../cases')
    await jexo('call', `exec:"${process.execPath}" "${bin}" serve "${kit}" --tape "${tape}"`, 'get_note')
    expect(await jexo('replay', tape)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--save <folder>'),
    })
    const saved = await jexo('replay', tape, '--save', cases, '--target', kit)
    expect(saved).toMatchObject({ code: 0, stdout: expect.stringContaining('notes.case.yaml') })
    const watching = new Running([bin, 'replay', cases, '--watch', '--coverage'])
    await watching.until(/1 case as expected[\s\S]*covered: 1 of 1 parts[\s\S]*watching/)
    writeFileSync(kit, kitText('two'))
    await watching.until(/something changed[\s\S]*1 case of 1 not as expected/)
    expect(watching.said).toContain('text: expected "one", got "two"')
    expect(await watching.end('SIGINT')).toBe(0)
  })

  test('limits a tool that never ends, names a missing target, and runs the rest', async () => {
    const careless = `exec:"${process.execPath}" "${join(root, 'test/support/careless-server.mjs')}"`
    const folder = newFolder()
    const save = (name: string, target: string, tool: string, args: string) =>
      writeFileSync(
        join(folder, `${name}.case.yaml`),
        `version: 1\ntarget: '${target}'\nsteps: [{ call: ${tool}, with: ${args}, expect: { text: fine } }]\n`,
      )
    save('endless', careless, 'hanger', '{ count: 5000 }')
    save('fine', careless, 'good', '{ hive: ML-04 }')
    save('gone', 'gone.kit.ts', 'good', '{}')
    writeFileSync(join(folder, 'broken.case.yaml'), 'version: 1\nsteps: [')
    const ran = await jexo('replay', folder, '--timeout', '3000')
    expect(ran).toMatchObject({ code: 1, stderr: expect.stringContaining('3 cases of 4 not as expected') })
    expect(ran.stdout).toMatch(/✗ .*broken[\s\S]*line 2, column 9/)
    expect(ran.stdout).toMatch(/✗ .*endless[\s\S]*no response to call hanger within 3000 ms/)
    expect(ran.stdout).toMatch(/✓ .*fine/)
    expect(ran.stdout).toMatch(/✗ .*gone[\s\S]*gone\.kit\.ts: there is no such file/)
  })
})
