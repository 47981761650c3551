import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { type ProcessDescription, planProcess, type WrapProcessOptions, wrapProcess } from 'jexo/process'
import { processSchema } from '../../src/wrap/process/description.js'
import { jexo, jexoIn, newFolder, root } from '../support/cli.js'

const program = pathToFileURL(join(root, 'test/support/lines-program.mjs'))
const examples = join(root, 'examples/other-languages')
const node = process.execPath

const links: Link[] = []
afterEach(() => Promise.all(links.splice(0).map((link) => link.close())))

async function linkTo(described: Partial<ProcessDescription> = {}, options: WrapProcessOptions = {}) {
  const reports: string[] = []
  const command = { command: node, args: [program, JSON.stringify(described)] }
  const kit = defineKit({ name: 'program', version: '1.0.0', parts: await wrapProcess(command, options) })
  const link = await connect(kit, { report: ({ text }) => reports.push(text) })
  links.push(link)
  return { link, reports }
}
type Result = Awaited<ReturnType<Link['call']>>
const textOf = ({ content }: Result) => (content[0] as { text: string }).text
describe('a program that speaks JSON lines', () => {
  test('describes itself, and its functions return values, content, progress and errors', async () => {
    const { link, reports } = await linkTo()
    const tools = await link.tools()
    expect(tools.find(({ name }) => name === 'echo')).toMatchObject({
      description: 'Does echo.',
      annotations: { readOnlyHint: true },
    })
    for (const value of [{ deep: [1, null] }, 'text', 4.5, [], false, '\u2028\u0000"\n'])
      expect(textOf(await link.call('echo', { value }))).toBe(
        typeof value === 'string' ? value : JSON.stringify(value),
      )
    expect(await link.call('echo', { value: { hives: 3 } })).toMatchObject({ structuredContent: { hives: 3 } })
    expect(textOf(await link.call('echo', {}))).toBe('Done.')
    expect(await link.call('picture', {})).toMatchObject({ content: [{ type: 'image', data: 'aGl2ZQ==' }] })
    expect(await link.call('picture', { kind: 'resource_link' })).toMatchObject({ isError: true })
    expect(await link.call('picture', { data: '<svg>' })).toMatchObject({ isError: true })
    expect(await link.call('fail', {})).toMatchObject({
      isError: true,
      content: [{ type: 'text', text: 'there is no hive ML-99' }],
    })
    const progress: unknown[] = []
    const stepped = await link.call('steps', {}, { onProgress: (step) => progress.push(step) })
    expect(textOf(stepped)).toBe('done')
    expect(progress).toStrictEqual([expect.objectContaining({ progress: 1, total: 2, message: 'one' })])
    expect(await link.call('odd', {})).toMatchObject({ structuredContent: { ok: true } })
    expect(reports.join('\n')).toMatch(/a line that is no message[\s\S]*half-way/)
  })

  test('runs one call at a time in one process, with few environment variables', async () => {
    const { link } = await linkTo({}, { env: { HIVES: 'all' } })
    const [first, second, third] = await Promise.all([
      link.call('pid', {}),
      link.call('wait', { ms: 20 }),
      link.call('pid', {}),
    ])
    expect(textOf(second)).toBe('waited')
    expect(textOf(first)).toBe(textOf(third))
    const names = JSON.parse(textOf(await link.call('env', {}))) as string[]
    expect(names).toStrictEqual(expect.arrayContaining(['HIVES', 'PATH']))
    expect(names.filter((name) => /^(NODE_OPTIONS|npm_|JEST)/.test(name))).toStrictEqual([])
  })

  test('runs in as many processes as allowed', async () => {
    const { link } = await linkTo({}, { processes: 2 })
    const long = [link.call('wait', { ms: 400 }), link.call('wait', { ms: 400 })]
    const pids = await Promise.all([1, 2, 3, 4].map(() => link.call('pid', {})))
    expect(new Set(pids.map(textOf)).size).toBeLessThanOrEqual(2)
    expect((await Promise.all(long)).map(textOf)).toStrictEqual(['waited', 'waited'])
  })

  test.each<[string, Partial<ProcessDescription>, boolean]>([
    ['is ended by a cancelled call', {}, false],
    ['is told of a cancelled call, if it can stop one', { cancel: true }, true],
    ['goes on with its other calls, if it is concurrent', { concurrent: true }, true],
  ])('%s', async (_title, described, isSame) => {
    const { link } = await linkTo(described)
    const before = textOf(await link.call('pid', {}))
    const cancel = new AbortController()
    const call = link.call('wait', {}, { signal: cancel.signal })
    const other = described.concurrent ? link.call('wait', { ms: 200 }) : undefined
    setTimeout(() => cancel.abort(), 50)
    await expect(call).rejects.toThrow()
    const after = textOf(await link.call('pid', {}))
    expect(after === before).toBe(isSame)
    if (other) expect(textOf(await other)).toBe('waited')
  })

  test('that exits, floods or takes too long fails only its call, and is restarted', async () => {
    const { link, reports } = await linkTo({}, { timeoutMs: 3000 })
    expect(textOf(await link.call('flood', {}))).toBe('The program wrote more than 1000000 bytes. Ask for less.')
    expect(textOf(await link.call('wait', {}))).toBe('It was stopped after 3000 ms, the time limit.')
    expect(textOf(await link.call('echo', { value: 'again' }))).toBe('again')
    const died = textOf(await link.call('die', {}))
    expect(died).toMatch(/^The program behind this tool ended before it answered/)
    expect(died).not.toContain('honey')
    expect(reports.join('\n')).toMatch(/out of honey[\s\S]*ended with code 3/)
    expect(textOf(await link.call('echo', { value: 1 }))).toMatch(/is not running; try again in 1 s/)
  })

  test('counts as ended even if a child process still holds its pipes', async () => {
    const { link } = await linkTo()
    expect(await link.call('linger', {})).toMatchObject({ isError: true })
  })
})

describe('the description', () => {
  const say = (text: string) => ({ command: node, args: ['-e', `process.stdout.write(${JSON.stringify(text)})`] })
  const line = (value: unknown) => `${JSON.stringify(value)}\n`
  const tools = [{ name: 'a', about: 'A.' }]
  test.each<[string, { command: string; args: string[] }, RegExp]>([
    ['no JSON', say('hello\n'), /is not JSON: "hello"/],
    ['an array', say('[]\n'), /the line: /],
    ['another version', say(line({ version: 2, tools })), /version/],
    ['no tools', say(line({ version: 1, tools: [] })), /tools/],
    ['an illegal name', say(line({ version: 1, tools: [{ name: 'a b', about: 'A.' }] })), /tools\.0\.name/],
    ['a name twice', say(line({ version: 1, tools: [...tools, ...tools] })), /two tools are called a/],
    [
      'arguments that are no object',
      say(line({ version: 1, tools: [{ ...tools[0], input: { type: 'string' } }] })),
      /input/,
    ],
    [
      'a line without end',
      { command: node, args: ['-e', 'process.stdout.write("x".repeat(1_100_000))'] },
      /too long/,
    ],
    ['an end without a line', say(''), /ended with code 0/],
    ['a program that is missing', { command: '/no/program', args: [] }, /cannot be started \(ENOENT\)/],
    ['silence', { command: node, args: ['-e', 'setTimeout(() => {}, 3_600_000)'] }, /within 300 ms/],
  ])('refuses %s', async (title, command, reason) => {
    const limits = title === 'silence' ? { startTimeoutMs: 300 } : {}
    await expect(planProcess(command, limits)).rejects.toThrow(reason)
  })

  test('has a schema, and schemas/ holds the same', () => {
    expect(JSON.parse(readFileSync(join(root, 'schemas/process.schema.json'), 'utf8'))).toStrictEqual(processSchema)
  })

  test('filters and renames', async () => {
    const command = { command: 'python3', args: [pathToFileURL(join(examples, 'frames.py'))] }
    const plan = await planProcess(command, { only: ['count_*'], prefix: 'py_' })
    expect(plan.program).toBe('python3 frames.py')
    expect(plan.tools.map(({ as }) => as)).toStrictEqual(['py_count_frames'])
    expect(plan.tags).toStrictEqual([])
    expect(plan.about).toBe('Frames of the hives.')
  })

  test('may say nothing about itself', async () => {
    const command = { command: node, args: [program, JSON.stringify({ about: undefined })] }
    expect(await planProcess(command)).not.toHaveProperty('about')
  })
})

test.each([
  ['python3 frames.py', 'mean', 'numbers=[1,2,6]', '3'],
  ['./stores.sh', 'days_until', 'date=1970-01-01', '"days": -'],
])('jexo wrap "process:%s" writes a kit that runs it', async (words, tool, argument, expected) => {
  const kit = join(newFolder(), 'program.kit.ts')
  const written = await jexoIn(examples, 'wrap', `process:${words}`, '--out', kit)
  expect(written.code).toBe(0)
  expect(readFileSync(kit, 'utf8')).not.toContain(`'${examples}`)
  const called = await jexo('call', kit, tool, argument)
  expect(called.stdout).toContain(expected)
})
