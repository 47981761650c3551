import { mkdirSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { connect } from 'jexo/link'
import { withinLimit } from '../../src/kit-file/loading.js'
import { bin, jexoIn, newFolder, type Ran, Running, run } from '../support/cli.js'

/** Writes files into a new folder; returns it. */
function folderOf(files: Record<string, string>): string {
  const folder = newFolder()
  for (const [name, text] of Object.entries(files)) {
    mkdirSync(dirname(join(folder, name)), { recursive: true })
    writeFileSync(join(folder, name), text)
  }
  return folder
}
const env = { ...process.env, NO_COLOR: '1' } as Record<string, string>
const jexo = (cwd: string, ...words: string[]): Promise<Ran> => run(process.execPath, [bin, ...words], { cwd, env })

const kit = (tools: string, head = '') => `import { defineKit, tool } from 'jexo'
${head}
export default defineKit({ name: 'careless', version: '1.0.0', about: 'Careless.', parts: [${tools}] })`
const careless = `
  tool('forgets', { about: 'Forgets an await.', effect: 'read', run: () => { Promise.reject(new TypeError('no such scale')); return 'fine' } }),
  tool('later', { about: 'Throws later.', effect: 'read', run: () => { setTimeout(() => { throw new Error('too late') }, 5); return 'fine' } }),
  tool('slow', { about: 'Takes long.', effect: 'read', run: () => new Promise(() => {}) }),
  tool('huge', { about: 'Returns much.', effect: 'read', run: () => 'x'.repeat(1_500_000) })`

afterAll(() => Running.endAll())

test('an uncaught error is reported with its tool and line, and the call continues', async () => {
  const folder = folderOf({ 'careless.kit.ts': kit(careless) })
  const { code, stdout, stderr } = await jexo(folder, 'call', 'careless.kit.ts', 'forgets')
  expect([code, stdout]).toStrictEqual([0, 'fine\n'])
  expect(stderr).toMatch(
    /jexo: error: uncaught error (in tool `forgets`|outside any call \(the last was tool `forgets`\)): TypeError: no such scale/,
  )
  expect(stderr).toMatch(/careless\.kit\.ts:4/)
})

/** Blocks the thread for good, without using its CPU. */
const block = 'Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0)'
const blocking = kit(`
  tool('block', { about: 'Keeps the thread.', effect: 'read', run: () => { console.error('begun'); ${block} } }),
  tool('ends', { about: 'Ends its process.', effect: 'read', run: () => process.exit(3) })`)

test('a tool that blocks its thread or exits its process does not block or end the command', async () => {
  const folder = folderOf({ 'a.kit.ts': blocking })
  const late = await jexo(folder, 'call', 'a.kit.ts', 'block', '--timeout', '1500')
  expect([late.code, late.stderr]).toStrictEqual([
    2,
    expect.stringMatching(/begun\n.*no response to tools\/call within 1500 ms/),
  ])
  const ended = await jexo(folder, 'call', 'a.kit.ts', 'ends')
  expect([ended.code, ended.stderr]).toStrictEqual([2, expect.stringContaining('ended with code 3')])
  for (const signals of [1, 2]) {
    const command = new Running([bin, 'call', 'a.kit.ts', 'block'], { cwd: folder, env })
    await command.until(/begun/)
    for (let sent = 1; sent < signals; sent++) command.child.kill('SIGINT')
    expect(await command.end()).toBe(130)
  }
})

test('on a terminal, a second Ctrl-C ends a command whose thread is blocked', async () => {
  const folder = folderOf({ 'a.kit.ts': kit('', `console.error('begun'); ${block}`) })
  const shown = `"${process.execPath}" "${bin}" show a.kit.ts`
  const command = new Running(['-qec', shown, '/dev/null'], { cwd: folder, env }, 'script')
  await command.until(/begun/)
  command.child.stdin.write('\u0003')
  await new Promise((resolve) => setTimeout(resolve, 300))
  command.child.stdin.write('\u0003')
  await new Promise((ended) => command.child.once('close', ended))
  expect(command.child.exitCode).not.toBe(0)
})

test('a kit that blocks its thread while it loads is reported', async () => {
  const folder = folderOf({ 'a.kit.ts': kit('', block) })
  const { code, stderr } = await jexo(folder, 'call', 'a.kit.ts', 'any', '--load-timeout', '300')
  expect([code, stderr]).toStrictEqual([2, expect.stringContaining('it did not finish loading within 300 ms')])
})

test('a server survives an uncaught error, counts it, reports large results, and names interrupted calls', async () => {
  const folder = folderOf({ 'careless.kit.ts': kit(careless) })
  const server = new Running([bin, 'serve', 'careless.kit.ts', '--http', '0', '--metrics'], {
    cwd: folder,
    env: { ...env, JEXO_DRAIN_MS: '200' },
  })
  const [url] = await server.until(/http:\S+/)
  const link = await connect(url)
  for (const name of ['forgets', 'later', 'later', 'huge', 'huge']) await link.call(name)
  await server.until(/too late[\s\S]*too late/)
  expect((await link.call('forgets')).content).toMatchObject([{ text: 'fine' }])
  const metrics = await (await fetch(new URL('/metrics', url))).text()
  expect(metrics).toMatch(/jexo_uncaught_errors_total\{[^}]*\} [34]/)
  const cut = link.call('slow').catch(() => 'cut')
  await new Promise((resolve) => setTimeout(resolve, 100))
  expect(await server.end()).toBe(0)
  expect(await cut).toBe('cut')
  expect(server.said).toContain('cut off: tool slow')
  expect(server.said.match(/tool huge returned 1\.5 MB, about 375,000 tokens/g)).toHaveLength(1)
})

test('with --strict-errors an uncaught error ends the server', async () => {
  const folder = folderOf({ 'careless.kit.ts': kit(careless) })
  const server = new Running([bin, 'serve', 'careless.kit.ts', '--http', '0', '--strict-errors'], {
    cwd: folder,
    env,
  })
  const [url] = await server.until(/http:\S+/)
  const link = await connect(url)
  await link.call('later').catch(() => {})
  await new Promise((done) => server.child.once('close', done))
  expect(server.child.exitCode).toBe(1)
  await link.close().catch(() => {})
})

test.each<[string, Record<string, string>, RegExp]>([
  [
    'ends the process',
    { 'a.kit.ts': kit('', 'process.exit(0)') },
    /a\.kit\.ts: it ended the process while it was loaded \(process\.exit\(0\)\); throw an error instead/,
  ],
  [
    'never ends',
    { 'a.kit.ts': kit('', 'await new Promise(() => {})') },
    /still loading a\.kit\.ts …[\s\S]*a\.kit\.ts: it did not finish loading within 700 ms; look for a top-level await/,
  ],
  [
    'imports a file that throws',
    {
      'a.kit.ts': kit('', "import './lib/desk.js'"),
      'lib/desk.ts': "import './scale.js'",
      'lib/scale.ts': "\n\nthrow new TypeError('no scale')",
    },
    /a\.kit\.ts: it does not load: TypeError: no scale \(lib\/scale\.ts:3\), imported by a\.kit\.ts → lib\/desk\.ts;/,
  ],
  [
    'imports what is missing',
    { 'a.kit.ts': kit('', "import './lib/desk.js'"), 'lib/desk.ts': "import 'no-such-package'" },
    /it does not load: Cannot find package 'no-such-package', imported by lib\/desk\.ts, imported by a\.kit\.ts;/,
  ],
  [
    'imports a file with a mistake',
    { 'a.kit.ts': kit('', "import './lib/desk.js'"), 'lib/desk.ts': 'export const a = (' },
    /it does not load: line 1, column 19 of lib\/desk\.ts: .*, imported by a\.kit\.ts;/,
  ],
  [
    'imports files that import each other',
    {
      'a.kit.ts': kit('', "import { desk } from './desk.js'\nvoid desk"),
      'desk.ts': "import { scale } from './scale.js'\nexport const desk = scale + 1",
      'scale.ts': "import { desk } from './desk.js'\nexport const scale = desk + 1",
    },
    /Cannot access 'desk' before initialization \(scale\.ts:2\); files that import each other see names before they have values: a\.kit\.ts → desk\.ts → scale\.ts;/,
  ],
])('a kit that %s is reported, with exit code 2', async (what, files, said) => {
  const limitMs = what === 'never ends' ? '700' : '30000'
  const start = what === 'ends the process' ? jexo : jexoIn
  const { code, stderr } = await start(folderOf(files), 'show', 'a.kit.ts', '--load-timeout', limitMs)
  expect([code, stderr]).toStrictEqual([2, expect.stringMatching(said)])
})

test('stacks are printed with --verbose', async () => {
  const folder = folderOf({ 'a.kit.ts': kit('', "throw new Error('no hive')") })
  const { code, stderr } = await jexoIn(folder, 'show', 'a.kit.ts', '--verbose')
  expect([code, stderr]).toStrictEqual([
    2,
    expect.stringMatching(/caused by Error: no hive\n {4}at .*a\.kit\.ts:2/),
  ])
})

test('loading files in parallel leaves the process unchanged', async () => {
  const before = process.exit
  const ends = [10, 30, 20].map((ms) => withinLimit('a.kit.ts', () => new Promise((done) => setTimeout(done, ms))))
  expect(process.exit).not.toBe(before)
  await Promise.all(ends)
  expect(process.exit).toBe(before)
})
