import { appendFileSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { bin, hello, jexo, newFolder, Running, ready, root, run, written } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { typeIssues } from '../support/types.js'
import { typeCases } from '../wrap/module-cases.js'

afterAll(() => Running.endAll())

const garden = `
  const beds = new Map<string, Date>()
  /**
   * Plants a bed.
   * @param name Name on the stake.
   * @param on The day.
   * @throws When there is one of that name.
   */
  export function plantBed(name: string, on: Date): Date {
    if (beds.has(name)) throw new Error(\`There is a bed \${name} already.\`)
    beds.set(name, on)
    return on
  }
  export function listBeds(): string[] { return [...beds.keys()] }
  /** Waters everything. */
  export async function waterAll(litres = 10): Promise<void> {}
  export function onRain(listener: () => void) {}
  /** The almanac. */
  export class Almanac {
    #days: Date[] = []
    /** Notes a day of frost. @effect add */
    noteFrost(day: Date) { return this.#days.push(day) }
  }`
const dialKit = (file: string): Promise<Link> => connect({ command: process.execPath, args: [bin, 'serve', file] })
const structured = async (link: Link, tool: string, args: Record<string, unknown> = {}) =>
  (await link.call(tool, args)).structuredContent

describe('jexo wrap', () => {
  test('prints the selected functions, the skipped ones with the reason, and what is inferred or missing', async () => {
    const ran = await jexo('wrap', written('garden.ts', garden))
    expect(ran.code).toBe(0)
    for (const said of [
      /garden\.ts {2}4 tools/,
      /plant_bed\(name, on\) → value {2}change\?\n {4}Plants a bed\.\n {4}Fails when there is one of that name\./,
      /list_beds\(\) → value {2}read\?/,
      /almanac_note_frost\(day\) → value {2}add\n/,
      /Skipped {2}1\n {2}onRain .*garden\.ts:\d+\n {4}parameter listener: a function cannot be JSON; accept data instead/,
      /Guessed\n {2}the effect of plant_bed, list_beds, water_all/,
      /No description\n {2}list_beds: models choose tools by their description/,
    ])
      expect(ran.stdout).toMatch(said)
    expect(ran.stderr).toMatch(/Write a kit file with --out <name>\.kit\.ts/)
  })

  test('prints the plan as JSON, filtered on request', async () => {
    const ran = await jexo(
      'wrap',
      written('garden.ts', garden),
      '--only',
      'g_*bed*',
      '--prefix',
      'g_',
      '--except',
      'g_list_beds',
      '--json',
    )
    expect(ran.code).toBe(0)
    const plan = JSON.parse(ran.stdout) as Loose
    const schema = JSON.parse(readFileSync(join(root, 'schemas/module-plan.schema.json'), 'utf8')) as object
    expect(new Ajv2020({ strict: false }).validate(schema, plan)).toBe(true)
    expect(plan).toMatchObject({
      version: 1,
      kind: 'module',
      tools: [{ name: 'g_plant_bed' }],
    })
  })

  test('writes a kit file that can be served, and reports when the source has changed', async () => {
    const source = written('garden.ts', garden)
    const kit = source.replace('garden.ts', 'garden.kit.ts')
    expect((await jexo('wrap', source, '--out', kit)).code).toBe(0)
    const text = readFileSync(kit, 'utf8')
    for (const line of [
      "import * as garden from './garden.js'",
      '    return { value: garden.plantBed(name, new Date(on)).toISOString() }',
      '  run: () => ({ value: garden.listBeds() }),',
      '  run: ({ litres }) => garden.waterAll(litres),',
      "  effect: 'read', // guessed",
      'const almanacInstance = shared(() => new garden.Almanac())',
    ])
      expect(text).toContain(line)
    const link = await dialKit(kit)
    expect(await structured(link, 'plant_bed', { name: 'a', on: '2026-06-02T06:00:00Z' })).toStrictEqual({
      value: '2026-06-02T06:00:00.000Z',
    })
    expect(await link.call('plant_bed', { name: 'a', on: '2026-06-02T06:00:00Z' })).toMatchObject({
      isError: true,
      content: [{ text: 'There is a bed a already.' }],
    })
    expect(await structured(link, 'almanac_note_frost', { day: '2026-06-02T06:00:00Z' })).toStrictEqual({
      value: 1,
    })
    await link.close()

    expect(await jexo('wrap', source, '--out', kit, '--check')).toMatchObject({ code: 0 })
    writeFileSync(
      source,
      garden
        .replace('litres = 10', 'litres = 12')
        .replace('listBeds', 'allBeds')
        .replace('Plants a bed', 'Plants one'),
    )
    const moved = await jexo('wrap', source, '--out', kit, '--check')
    expect(moved.code).toBe(1)
    expect(moved.stdout.split('\n').slice(0, 4)).toStrictEqual([
      '+ all_beds() → value',
      '- list_beds',
      '~ plant_bed(name, on) → value   (description)',
      '~ water_all(litres?) → nothing   (arguments)',
    ])

    appendFileSync(kit, '')
    expect((await jexo('wrap', source, '--out', kit)).code).toBe(0)
    writeFileSync(kit, readFileSync(kit, 'utf8').replace('Waters everything', 'Waters all'))
    expect(await jexo('wrap', source, '--out', kit)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('the file was edited after jexo wrap wrote it'),
    })
    expect((await jexo('wrap', source, '--out', kit, '--force')).code).toBe(0)
  })

  test('skips classes without methods of their own, such as errors', async () => {
    const source = `${garden}\nexport class Frozen extends Error {}\nexport class Beds extends Map<string, Date> {}`
    const ran = await jexo('wrap', written('garden.ts', source))
    expect([ran.code, ran.stdout.includes('4 tools')]).toStrictEqual([0, true])
  })

  test.each(['tool', 'delete', '2 words'])('chooses a valid name for the kit file of %p', async (name) => {
    const source = written(
      `${name}.ts`,
      'export function tool() { return 1 }\nexport function shared() { return 2 }',
    )
    const kit = source.replace(/\.ts$/, '.kit.ts')
    expect((await jexo('wrap', source, '--out', kit)).code).toBe(0)
    expect(JSON.parse((await jexo('call', kit, 'tool', '--json')).stdout)).toStrictEqual({ value: 1 })
  })

  test.each<[what: string, args: () => string[], says: RegExp]>([
    ['a missing file', () => ['nowhere.ts'], /nowhere\.ts: there is no such file; check the path/],
    [
      'another kind of file',
      () => [written('x.py', 'x = 1')],
      /cannot infer the source type of .*; set it with --kind/,
    ],
    ['an unknown kind', () => [written('x.ts', 'export {}'), '--kind', 'sheet'], /--kind sheet is not valid/],
    [
      'a name that chooses nothing',
      () => [written('x.ts', garden), '--only', 'plant_bad'],
      /there is no part "plant_bad".*plant_bed/,
    ],
    ['--check without --out', () => [written('x.ts', garden), '--check'], /--check is not valid; expected --out/],
    [
      'a file that somebody else wrote',
      () => [written('x.ts', garden), '--out', written('own.kit.ts', 'export default 1')],
      /the file exists and was not written by jexo wrap/,
    ],
    [
      'a check of such a file',
      () => [written('x.ts', garden), '--check', '--out', written('own.kit.ts', 'export default 1')],
      /cannot be compared with its source/,
    ],
  ])('%s is reported in one sentence with exit code 2', async (_what, args, says) => {
    const ran = await jexo('wrap', ...args())
    expect(ran.stderr).toMatch(says)
    expect([ran.code, ran.stderr.trim().split('\n').length]).toStrictEqual([2, 1])
  })
})

describe('the written kit of a module with every type', () => {
  const folder = newFolder()
  const kit = join(folder, 'cases.kit.ts')
  let link: Link
  beforeAll(async () => {
    writeFileSync(join(folder, 'cases.ts'), typeCases.map(({ source }) => source).join('\n'))
    expect((await jexo('wrap', join(folder, 'cases.ts'), '--out', kit)).code).toBe(0)
    link = await dialKit(kit)
  })
  afterAll(() => link.close())

  test('responds to every call like the live one', async () => {
    for (const { name, call, wrong } of typeCases) {
      const tool = name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)
      const result = await link.call(tool, call[0])
      expect([name, result.isError ? result.content : result.structuredContent]).toStrictEqual([name, call[1]])
      if (wrong) expect([name, (await link.call(tool, wrong[0])).isError]).toStrictEqual([name, true])
    }
  })

  test('has no type errors', () => {
    symlinkSync(join(root, 'node_modules'), join(folder, 'node_modules'))
    const options = {
      strict: true,
      skipLibCheck: true,
      allowImportingTsExtensions: true,
      target: 'es2022',
      module: 'esnext',
      moduleResolution: 'bundler',
      types: ['node'],
      paths: { jexo: [join(root, 'dist/index.d.ts')], 'jexo/module': [join(root, 'dist/module.d.ts')] },
    }
    expect(typeIssues([kit], options, (path) => path.endsWith('.kit.ts'))).toStrictEqual([])
  })
})

test('a program run by Node alone is told that TypeScript needs a loader', async () => {
  const source = written('garden.ts', garden)
  // Its types are in the cache then.
  await jexo('wrap', source)
  const script = `import { wrapModule } from ${JSON.stringify(join(root, 'dist/module.js'))}
    await wrapModule(${JSON.stringify(source)}).catch(({ message }) => console.log(message))`
  const ran = await run(process.execPath, ['--input-type=module', '-e', script])
  expect(ran.stdout).toMatch(/this version of Node cannot load TypeScript; serve or pack the kit with jexo/)
})

describe('a live wrap', () => {
  const kitOf = (file: string) => `import { defineKit } from 'jexo'
    import { wrapModule } from 'jexo/module'
    export default defineKit({ name: 'live', version: '1', parts: await wrapModule(new URL('./${file}', import.meta.url)) })`

  test('is frozen when packed: neither source nor compiler is needed', async () => {
    const folder = newFolder()
    writeFileSync(join(folder, 'garden.ts'), garden)
    writeFileSync(join(folder, 'live.kit.ts'), kitOf('garden.ts'))
    const out = newFolder()
    expect((await jexo('pack', join(folder, 'live.kit.ts'), '--out', out)).code).toBe(0)
    const call = {
      jsonrpc: '2.0',
      id: 2,
      method: 'tools/call',
      params: { name: 'plant_bed', arguments: { name: 'a', on: '2026-06-02T06:00:00Z' } },
    }
    const input = [hello('2025-11-25'), ready, call].map((message) => `${JSON.stringify(message)}\n`).join('')
    const ran = await run(process.execPath, [join(out, 'live.mjs')], { cwd: '/', env: {}, input })
    const answers = ran.stdout
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Loose)
    expect(answers.find(({ id }) => id === 2).result.structuredContent).toStrictEqual({
      value: '2026-06-02T06:00:00.000Z',
    })
    // 75 kB of it are the client for a store, which is installed here.
    expect(readFileSync(join(out, 'live.mjs')).length).toBeLessThan(780_000)
  })

  test('follows edits of the wrapped file under --watch', async () => {
    const folder = newFolder()
    writeFileSync(join(folder, 'garden.ts'), 'export function countBeds() { return 1 }')
    writeFileSync(join(folder, 'live.kit.ts'), kitOf('garden.ts'))
    const serving = new Running([bin, 'serve', join(folder, 'live.kit.ts'), '--watch', '--http', '0'])
    const [, url = ''] = await serving.until(/at (http\S+)/)
    const link = await connect(url)
    expect(await structured(link, 'count_beds')).toStrictEqual({ value: 1 })
    const changed = new Promise((done) => link.on('toolsChanged', () => done(true)))
    writeFileSync(
      join(folder, 'garden.ts'),
      'export function countBeds() { return 2 }\nexport function listBeds() { return ["a"] }',
    )
    await changed
    expect((await link.tools()).map(({ name }) => name)).toStrictEqual(['count_beds', 'list_beds'])
    expect(await structured(link, 'count_beds')).toStrictEqual({ value: 2 })
    await link.close()
    expect(await serving.end('SIGTERM')).toBe(0)
  })
})
