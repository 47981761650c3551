import { writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { connect } from 'jexo/node'
import { apiary, bin, jexo, jexoWith, Running, root, run, written } from '../support/cli.js'

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

test('serve --watch loads an edit without dropping the session, and keeps the old kit if an edit is broken', async () => {
  const kit = written('k.kit.ts', kitText)
  const word = (text: string) => writeFileSync(join(dirname(kit), 'word.ts'), text)
  word("export const word = 'one'")
  let heard = ''
  let wake = () => {}
  const until = async (pattern: RegExp) => {
    while (!pattern.test(heard)) await new Promise<void>((resolve) => (wake = resolve))
  }
  const link = await connect(
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
  await until(/reloaded: new tool extra/)
  expect(await said('say')).toMatchObject({ text: 'two' })
  expect(heard).not.toContain('closed one')
  expect(await slow).toMatchObject({ text: 'one' })
  await until(/closed one/)
  word('export const word =')
  await until(/reload failed, the previous version keeps serving: .*word\.ts/)
  expect(await said('say')).toMatchObject({ text: 'two' })
  await link.close()
})

test('serve --only, --except and JEXO_ONLY limit what is served, and ?only= what a session sees', async () => {
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
  expect(await names(url)).toStrictEqual(['weigh_hive', 'weigh_site', 'list_inspections', 'record_inspection'])
  expect(await names(`${url}?only=weigh_*,move_hive`)).toStrictEqual(['weigh_hive', 'weigh_site'])
  expect(await names(`${url}?only=tag:ledger`)).toStrictEqual(['list_inspections', 'record_inspection'])
  const hidden = await jexo('call', `${url}?only=tag:ledger`, 'weigh_hive', 'hive=ML-04')
  expect(hidden.stderr).toMatch(/no tool "weigh_hive"/)
  await serving.end()
  const wrong = await jexo('serve', apiary, '--only', 'weigh_hves')
  expect(wrong).toMatchObject({
    code: 2,
    stderr: expect.stringMatching(/no part "weigh_hves"; did you mean "weigh_hive"/),
  })
})

describe('questions on the command line', () => {
  const missing = ['record_inspection', 'hive=ML-02', 'on=2026-06-02']

  test('are answered from a file, or cancelled with a notice', async () => {
    const answers = written(
      'a.answers.yaml',
      'version: 1\nanswers:\n  - about: needs to know\n    action: accept\n    content: { framesOfBrood: 5, framesOfBees: 8, storesKg: 12, queenSeen: true }\n',
    )
    const answered = await jexo('call', apiary, ...missing, '--answers', answers, '--json')
    expect(JSON.parse(answered.stdout)).toMatchObject({ hive: 'ML-02' })
    const silent = await jexo('call', apiary, ...missing)
    expect(silent.stderr).toMatch(
      /The server asks: Record an inspection needs to know more\.\nWithout --answers, the question was cancelled/,
    )
    expect(silent.code).toBe(1)
    const declined = await jexo('call', apiary, ...missing, '--answers', 'decline')
    expect(declined.stderr).toMatch(/declined\. Nothing was done/)
  })

  test.each([
    ['version: 2', /no "version: 1" and a list "answers"/],
    ['version: 1\nanswers: [{ action: maybe }]', /answer 1 is not/],
    ['a: [', /not a valid answers file \(.*line/],
  ])('an answers file with %j is refused', async (text, message) => {
    const ran = await jexo('call', apiary, ...missing, '--answers', written('bad.answers.yaml', text))
    expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(message) })
  })

  test('talk keeps one session, asks for missing arguments, and continues after a mistake', async () => {
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
  ).toStrictEqual([])
  expect(check({ version: 1, answers: [{ action: 'maybe' }] })).not.toStrictEqual([])
})

describe('a production server', () => {
  const told = `import { defineKit, Refusal, setting, tool } from 'jexo'
const site = tool('site', { about: 'The site.', effect: 'read', run: (_, call) => call.settings.SITE })
const no = tool('refuse', { about: 'Refuses.', effect: 'read', run: () => { throw new Refusal('No.') } })
export default defineKit({ name: 'told', version: '1', parts: [site, no], settings: { SITE: setting({ about: 'Site.' }) } })`
  const plain = { PATH: process.env.PATH ?? '', HOME: process.env.HOME ?? '' }

  test('reads options from variables and from .env beside the kit; flags take precedence', async () => {
    const kit = written('told.kit.ts', told)
    writeFileSync(join(dirname(kit), '.env'), 'SITE=Quarry Field\nJEXO_PATH=/from-file\nJEXO_TOKEN=t\n')
    const rows: [string[], Record<string, string>, RegExp, string][] = [
      [['--http', '0'], {}, /at (http:\/\/127\.0\.0\.1:\d+\/from-file)/, 'Quarry Field'],
      [
        ['--http', '0', '--path', '/flag'],
        { SITE: 'Orchard End' },
        /at (http:\/\/127\.0\.0\.1:\d+\/flag)/,
        'Orchard End',
      ],
      [
        ['--http'],
        { JEXO_PORT: '0', JEXO_HOST: '127.0.0.2', JEXO_PATH: '/x' },
        /at (http:\/\/127\.0\.0\.2:\d+\/x)/,
        'Quarry Field',
      ],
    ]
    for (const [flags, env, at, site] of rows) {
      const serving = new Running([bin, 'serve', kit, ...flags], { env: { ...plain, ...env } })
      const [, url = ''] = await serving.until(at)
      const link = await connect(url, { headers: { authorization: 'Bearer t' } })
      expect((await link.call('site')).content[0]).toMatchObject({ text: site })
      await link.close()
      expect(await serving.end('SIGTERM')).toBe(0)
    }
    const wrong: [string[], Record<string, string>, RegExp][] = [
      [['--http', '0', '--log', 'xml'], {}, /the log form "xml" is not valid; expected text or json/],
      [['--http', '0'], { JEXO_LOG_LEVEL: 'loud' }, /the log level "loud" is not valid/],
      [['--http', '0', '--path', 'mcp'], {}, /a path that begins with \//],
      [['--http', '0', '--public-url', 'hives.example'], {}, /a URL with a scheme/],
      [
        ['--http', '0.0.0.0:0', '--require-host'],
        {},
        /reach 0\.0\.0\.0:0 by host names, and this server refuses unknown host names/,
      ],
      [['--env-from', 'none.env'], {}, /none\.env: it cannot be read \(ENOENT\)/],
    ]
    for (const [flags, env, said] of wrong) {
      const ran = await jexoWith({ ...plain, ...env }, root, 'serve', kit, ...flags)
      expect(ran).toMatchObject({ code: 2, stderr: expect.stringMatching(said) })
    }
  })

  test('logs as JSON, counts calls, and serves both with the token only', async () => {
    const kit = written('told.kit.ts', told)
    const env = { ...plain, SITE: 'Marsh Lane', JEXO_TOKEN: 't', JEXO_LOG: 'json' }
    const serving = new Running([bin, 'serve', kit, '--http', '0', '--metrics'], { env })
    const [, url = ''] = await serving.until(/"url":"(http:[^"]+)"/)
    const headers = { authorization: 'Bearer t' }
    const link = await connect(url, { headers })
    await link.call('site')
    await link.call('refuse')
    await expect(link.call('nothing')).rejects.toThrow()
    const lines = () =>
      serving.said
        .trim()
        .split('\n')
        .map((line) => JSON.parse(line))
    await serving.until(/"name":"nothing"/)
    expect(lines()).toStrictEqual(
      expect.arrayContaining([
        expect.objectContaining({ level: 'info', kit: 'told', host: 'jexo', revision: '2025-11-25' }),
        expect.objectContaining({
          method: 'tools/call',
          name: 'site',
          outcome: 'ok',
          durationMs: expect.any(Number),
        }),
        expect.objectContaining({ name: 'refuse', outcome: 'tool error' }),
        expect.objectContaining({ name: 'nothing', outcome: 'error', code: -32602 }),
      ]),
    )
    // Enough to tell sessions apart, too little to take one over.
    expect(lines().find(({ session }) => session).session).toHaveLength(8)
    const metrics = new URL('/metrics', url)
    expect((await fetch(metrics)).status).toBe(401)
    const text = await (await fetch(metrics, { headers })).text()
    expect(text).toContain('jexo_tool_calls_total{tool="site",outcome="ok",kit="told"} 1')
    expect(text).toContain('jexo_tool_calls_total{tool="refuse",outcome="tool error",kit="told"} 1')
    expect(text).toContain('jexo_tool_calls_total{tool="unknown",outcome="error",kit="told"} 1')
    expect(text).toMatch(/jexo_sessions\{kit="told"\} 1/)
    await link.close()
    expect(await serving.end('SIGTERM')).toBe(0)
    const apart = new Running([bin, 'serve', kit, '--http', '0', '--metrics', '127.0.0.1:0'], { env })
    const [, other = ''] = await apart.until(/"msg":"metrics at (\S+)"/)
    expect(await (await fetch(other)).text()).toContain('process_cpu_user_seconds_total')
    expect(await apart.end('SIGTERM')).toBe(0)
  })
})
