import { apiary, bin, hello, hives, jexo, Running, ready, speak, weigh, written } from '../support/cli.js'

const dates = ['2025-11-25', '2025-06-18', '2025-03-26', '2024-11-05']

afterAll(() => Running.endAll())

describe('serve on stdio', () => {
  test.each(dates.map((date, at) => [date, at === 0 ? apiary : hives]))(
    'answers %s from another folder, without environment, with nothing but protocol on stdout',
    async (date, kit) => {
      const list = { jsonrpc: '2.0', id: 2, method: 'tools/list' }
      const ran = await speak([bin, 'serve', kit], [hello(date), ready, list, weigh(3)], {
        cwd: '/',
        env: {},
      })
      expect(ran.code).toBe(0)
      const answers = new Map(ran.lines.map((line) => [line.id, line.result]))
      // Besides the responses, only a notification that resources now exist.
      const news = ran.lines.filter((line) => line.id === undefined).map(({ method }) => method)
      expect(new Set(news)).toStrictEqual(new Set(news.length > 0 ? ['notifications/resources/list_changed'] : []))
      expect(ran.lines.length - news.length).toBe(3)
      expect(answers.get('hello').protocolVersion).toBe(date)
      expect(answers.get(2).tools.length).toBeGreaterThan(3)
      expect(JSON.parse(answers.get(3).content[0].text)).toStrictEqual({
        kg: expect.any(Number),
        at: '2026-06-02T06:00:00Z',
      })
      expect(ran.stderr).toBe(`jexo: test 1 connected, revision ${date}\n`)
    },
  )

  test('survives lines that are not messages', async () => {
    const ran = await speak(
      [bin, 'serve', hives],
      ['garbage', '{"jsonrpc":"2.0"}', '', hello('2025-11-25'), ready, '[1]', weigh(1)],
    )
    const answers = ran.lines.filter((line) => line.method === undefined)
    expect(answers.map((line) => line.error?.code ?? 'fine')).toStrictEqual([
      -32700,
      -32600,
      'fine',
      -32600,
      'fine',
    ])
  })

  test('redirects output of a kit to stderr, and reports its origin once', async () => {
    const kit = written(
      'noisy.kit.ts',
      `import { writeSync } from 'node:fs'
       import { defineKit, tool } from 'jexo'
       console.log('while loading')
       const weigh = tool('weigh_hive', { about: 'x', effect: 'read', input: { type: 'object' }, run: async () => {
         console.log('from the tool')
         await null
         console.log('again')
         process.stdout.write('straight\\n')
         writeSync(1, 'by number\\n')
         return 'ok'
       } })
       export default defineKit({ name: 'noisy', version: '1', parts: [weigh] })`,
    )
    const ran = await speak([bin, 'serve', kit], [hello('2025-11-25'), ready, weigh(1), weigh(2)])
    expect(ran.lines.map((line) => line.id)).toStrictEqual(['hello', 1, 2])
    expect(ran.stderr.match(/console\.log in tool `weigh_hive`/g)).toHaveLength(1)
    expect(ran.stderr.match(/from the tool/g)).toHaveLength(2)
    for (const said of [
      'process.stdout.write in tool `weigh_hive`',
      'fs.writeSync in tool `weigh_hive`',
      'console.log in the loading of',
      'while loading',
      'straight',
      'by number',
    ]) {
      expect(ran.stderr).toContain(said)
    }
  })

  test('finishes running calls when stdin closes, and exits 0 on SIGTERM', async () => {
    const site = {
      jsonrpc: '2.0',
      id: 9,
      method: 'tools/call',
      params: { name: 'weigh_site', arguments: { site: 'Marsh Lane' } },
    }
    // As long as a busy machine may need.
    const env = { ...process.env, JEXO_GRACE_MS: '30000' } as Record<string, string>
    const ran = await speak([bin, 'serve', hives], [hello('2025-11-25'), ready, site], { env })
    expect(ran.lines.at(-1)).toMatchObject({
      id: 9,
      result: { structuredContent: { readings: expect.any(Array) } },
    })
    const running = new Running([bin, 'serve', hives])
    running.child.stdin.write(`${JSON.stringify(hello('2025-11-25'))}\n`)
    await running.until(/"serverInfo"/)
    expect(await running.end('SIGTERM')).toBe(0)
  })

  test('transports a message of fifty megabytes in both directions, and refuses one over the limit', async () => {
    const kit = written(
      'echo.kit.mjs',
      `import { defineKit, tool } from 'jexo'
       export default defineKit({ name: 'echo', version: '1', parts: [
         tool('echo', { about: 'x', effect: 'read', input: { type: 'object' }, run: ({ text }) => text })] })`,
    )
    const text = 'é🐝x'.repeat(7_200_000)
    const call = { jsonrpc: '2.0', id: 1, method: 'tools/call', params: { name: 'echo', arguments: { text } } }
    const ran = await speak([bin, 'serve', kit], [hello('2025-11-25'), ready, call])
    expect(Buffer.byteLength(text)).toBeGreaterThan(50_000_000)
    expect(ran.lines.at(-1).result.content[0].text === text).toBe(true)
    const small = { env: { ...process.env, JEXO_MAX_BYTES: '1000' } as Record<string, string> }
    const refused = await speak(
      [bin, 'serve', kit],
      [hello('2025-11-25'), ready, 'x'.repeat(1001), weigh(2)],
      small,
    )
    expect(refused.lines.map((line) => line.error?.message ?? line.id)).toStrictEqual([
      'hello',
      'Invalid request: the message is longer than 1000 bytes',
      expect.stringContaining('weigh_hive'),
    ])
  })
})

describe('a kit that cannot be served is reported in one sentence with exit code 2', () => {
  const kitOf = (parts: string, more = '') =>
    `import { defineKit, tool, setting } from 'jexo'\nimport { z } from 'zod'\nconst t = (name: string, input?: never) => tool(name, { about: 'x', effect: 'read', input, run: () => 1 })\nexport default defineKit({ name: 'k', version: '1', ${more} parts: [${parts}] })`
  test.each<[string, string | undefined, RegExp]>([
    ['missing', undefined, /nowhere\.kit\.ts: there is no such file; check the path/],
    ['not compiling', 'export default = 5', /bad\.kit\.ts: it does not load: line 1, column 16 .*; fix the file/],
    [
      'importing what is not there',
      "import x from 'no-such-package'\nexport default x",
      /Cannot find package 'no-such-package'/,
    ],
    ['throwing while it loads', "throw new Error('no luck')", /it does not load: Error: no luck \(line 1\)/],
    [
      'exporting no kit',
      'export const a = 1',
      /its default export is missing, not a kit; end it with: export default defineKit/,
    ],
    ['exporting something else', 'export default { name: "x" }', /its default export is an object, not a kit/],
    [
      'with a name taken twice',
      kitOf("t('one'), t('one')"),
      /bad\.kit\.ts: two parts have the name tool "one"; rename or remove one of them/,
    ],
    [
      'with a schema that is no object',
      kitOf("t('one', z.string() as never)"),
      /bad\.kit\.ts: the input schema of tool "one" is of type "string", not an object; use an object schema/,
    ],
    [
      'with a setting missing',
      kitOf('', "settings: { KEY: setting({ about: 'The key.' }) },"),
      /bad\.kit\.ts: a setting is missing: KEY \(The key\); set it in the environment/,
    ],
  ])('%s', async (_what, source, message) => {
    const file = source === undefined ? 'nowhere.kit.ts' : written('bad.kit.ts', source)
    const ran = await jexo('serve', file)
    expect(ran.stderr).toMatch(message)
    const said = ran.stderr.replace(/^jexo: still loading .*\n/gm, '')
    expect(said.trim().split('\n')).toHaveLength(1)
    expect(ran.stdout).toBe('')
    expect(ran.code).toBe(2)
  })
})
