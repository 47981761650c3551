import { writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { dial } from 'jexo/node'
import { apiary, bin, jexo, Running, root, run, written } from '../support/cli.js'

afterAll(() => Running.endAll())

const kitText = `import { defineKit, shared, tool } from 'jexo'
import { word } from './word.js'
const store = shared(() => ({ word }), (open) => console.error('closed ' + open.word))
const part = (name: string, run: (call: never) => unknown) => tool(name, { about: 'x', effect: 'read', run: (_, call) => run(call as never) })
export default defineKit({ name: 'k', version: '1', parts: [
  part('say', async (call: any) => (await call.use(store)).word),
  part('slow', async (call: any) => { const open = await call.use(store); console.error('slow runs'); await new Promise((wake) => setTimeout(wake, 1200)); return open.word }),
  ...(word === 'two' ? [part('extra', () => 1)] : []),
] })`

test('serve --watch loads an edit without dropping the session, and keeps the old kit where an edit is broken', async () => {
  const kit = written('k.kit.ts', kitText)
  const word = (text: string) => writeFileSync(join(dirname(kit), 'word.ts'), text)
  word("export const word = 'one'")
  let heard = ''
  let wake = () => {}
  const until = async (pattern: RegExp) => {
    while (!pattern.test(heard)) await new Promise<void>((resolve) => (wake = resolve))
  }
  const link = await dial(
    { command: process.execPath, args: [bin, 'serve', kit, '--watch'] },
    {
      onStderr: (line) => {
        heard += `${line}\n`
        wake()
      },
    },
  )
  const changed = new Promise((resolve) => link.on('toolsChanged', () => resolve(true)))
  const said = async (tool: string) => (await link.call(tool)).content[0]
  expect(await said('say')).toMatchObject({ text: 'one' })
  const slow = said('slow')
  await until(/slow runs/)
  word("export const word = 'two'")
  await changed
  await until(/loaded again: new tool extra/)
  expect(await said('say')).toMatchObject({ text: 'two' })
  expect(heard).not.toContain('closed one')
  expect(await slow).toMatchObject({ text: 'one' })
  await until(/closed one/)
  word('export const word =')
  await until(/does not load, the kit from before goes on serving: .*word\.ts/)
  expect(await said('say')).toMatchObject({ text: 'two' })
  await link.close()
})

test('serve --only, --except and JEXO_ONLY narrow what is served, and ?only= what a session sees', async () => {
  const serving = new Running(
    [
      bin,
      'serve',
      apiary,
      '--http',
      '0',
      '--except',
      'move_hive,tag:colony,tag:registry,tag:graph,tag:guide,*_ledger,latest_*,honey_batches,correct_moisture',
    ],
    {
      env: { ...process.env, JEXO_ONLY: '*_*,apiary://*' } as Record<string, string>,
    },
  )
  const [url] = await serving.until(/http:\S+/)
  const names = async (target: string) =>
    JSON.parse((await jexo('show', target, '--json')).stdout).tools.map(({ name }: { name: string }) => name)
  expect(await names(url)).toEqual(['weigh_hive', 'weigh_site', 'list_inspections', 'record_inspection'])
  expect(await names(`${url}?only=weigh_*,move_hive`)).toEqual(['weigh_hive', 'weigh_site'])
  expect(await names(`${url}?only=tag:ledger`)).toEqual(['list_inspections', 'record_inspection'])
  const hidden = await jexo('call', `${url}?only=tag:ledger`, 'weigh_hive', 'hive=ML-04')
  expect(hidden.stderr).toMatch(/no tool "weigh_hive"/)
  await serving.end()
  const wrong = await jexo('serve', apiary, '--only', 'weigh_hves')
  expect(wrong).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/no part "weigh_hves" to choose; did you mean "weigh_hive"/),
  })
})

describe('questions on the command line', () => {
  const missing = ['record_inspection', 'hive=ML-02', 'on=2026-06-02']

  test('are answered from a file, or cancelled and that is said', async () => {
    const answers = written(
      'a.answers.yaml',
      'version: 1\nanswers:\n  - about: needs to know\n    action: accept\n    content: { framesOfBrood: 5, framesOfBees: 8, storesKg: 12, queenSeen: true }\n',
    )
    const answered = await jexo('call', apiary, ...missing, '--answers', answers, '--json')
    expect(JSON.parse(answered.stdout)).toMatchObject({ hive: 'ML-02' })
    const silent = await jexo('call', apiary, ...missing)
    expect(silent.stderr).toMatch(/The server asks: Record an inspection needs to know more\.\nNo answer was given/)
    expect(silent.code).toBe(1)
    const declined = await jexo('call', apiary, ...missing, '--answers', 'decline')
    expect(declined.stderr).toMatch(/declined\. Nothing was done/)
  })

  test.each([
    ['version: 2', /no "version: 1" and a list "answers"/],
    ['version: 1\nanswers: [{ action: maybe }]', /answer 1 is not/],
    ['a: [', /cannot be read as answers \(.*line/],
  ])('a file that reads %j is refused', async (text, message) => {
    const ran = await jexo('call', apiary, ...missing, '--answers', written('bad.answers.yaml', text))
    expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(message) })
  })

  test('talk keeps one session, asks for what is missing, and goes on after a mistake', async () => {
    const typed =
      'call record_inspection hive=ML-02 on=2026-06-02\ny\n5\n\n8\n12\nyes\ntrue\ncal x\nread apiary://hives/ML-02\nfill inspection_letter hive=ML-02 member=Ada\nquit\n'
    const ran = await run(process.execPath, [bin, 'talk', apiary], {
      input: typed.replace('\n\n8', '\n8').replace('\nyes', ''),
    })
    expect(ran.code).toBe(0)
    expect(ran.stdout).toMatch(/"nextInspection"/)
    expect(ran.stderr).toMatch(/no command "cal" here; did you mean "call"/)
    expect(ran.stdout.match(/"storesKg": 12/g)?.length).toBeGreaterThanOrEqual(2)
  })
})

test('the answers schema accepts the documented form', async () => {
  const { compilingValidator } = await import('../../src/kit/compiling-validator.js')
  const { readFileSync } = await import('node:fs')
  const check = await compilingValidator.prepare(
    JSON.parse(readFileSync(join(root, 'schemas/answers.schema.json'), 'utf8')),
  )
  expect(
    check({ version: 1, answers: [{ about: 'x', action: 'accept', content: {} }, { action: 'cancel' }] }),
  ).toEqual([])
  expect(check({ version: 1, answers: [{ action: 'maybe' }] })).not.toEqual([])
})
