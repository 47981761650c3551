import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { defineKit, shared } from 'jexo'
import { connect, type Link } from 'jexo/link'
import { planModule, type WrapModuleOptions, wrapModule } from 'jexo/module'
import { newFolder } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { typeCases } from './module-cases.js'

/** Writes modules into a new folder; returns the path of the first. */
function modules(files: Record<string, string>): string {
  const folder = newFolder()
  for (const [name, text] of Object.entries(files)) writeFileSync(join(folder, name), text)
  return join(folder, Object.keys(files)[0] ?? '')
}
const module = (source: string, name = 'source.mjs') => modules({ [name]: source })

async function linkTo(file: string, options: WrapModuleOptions = {}): Promise<Link> {
  const parts = await wrapModule(file, options)
  return connect(defineKit({ name: 'wrapped', version: '1', parts }))
}
const snake = (name: string) => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)

describe('a type becomes a schema, and the value arrives with its type', () => {
  let link: Link
  let tools: Map<string, Loose>
  beforeAll(async () => {
    link = await linkTo(module(typeCases.map(({ source }) => source).join('\n'), 'cases.ts'))
    tools = new Map((await link.tools()).map((tool) => [tool.name, tool]))
  })
  afterAll(() => link.close())

  const ajv = new Ajv2020({ strict: false, formats: { uri: true, 'date-time': true, email: true } })

  test.each(typeCases.map((row) => [row.name, row] as const))('%s', async (name, row) => {
    const { inputSchema, outputSchema } = tools.get(snake(name))
    expect(inputSchema).toMatchObject({ type: 'object', additionalProperties: false })
    expect(inputSchema.properties).toMatchObject(row.input)
    if (row.required) expect(inputSchema.required ?? []).toStrictEqual(row.required)
    if (row.output) expect(outputSchema).toMatchObject(row.output)
    for (const schema of [inputSchema, outputSchema]) if (schema) expect(ajv.validateSchema(schema)).toBe(true)
    const [given, back] = row.call
    const result = await link.call(snake(name), given)
    expect(result.isError ? result.content : result.structuredContent).toStrictEqual(back)
    if (!row.wrong) return
    const refused = await link.call(snake(name), row.wrong[0])
    expect(refused.isError).toBe(true)
    expect(JSON.stringify(refused.content)).toContain(row.wrong[1])
  })
})

describe('doc comments', () => {
  const source = `
    /**
     * Weighs a hive
     * on its scale.
     *
     * - slowly
     * @title Weigh
     * @param hive Hive code, see {@link Hive}.
     * @param options.unit - Unit of the answer.
     * @returns Weight in that unit.
     * @throws {Error} When there is no such hive.
     * @effect read
     * @example
     * weighHive('ML-04', { unit: 'kg' }) // => 41.2
     * @example await weighHive("ML-05")
     * @example nothing that parses (
     */
    export function weighHive(hive: string, { unit = 'kg' }: { unit?: 'kg' | 'g' } = {}): number {
      if (hive === 'ML-99') throw new Error('There is no hive ML-99.')
      return unit === 'kg' ? 41.2 : 41200
    }
    /** Old. @deprecated Use weighHive. */
    export function getWeight() { return 1 }
    /** @internal */
    export function secret() {}
    export function removeHive(hive: string) { count--; return hive }
    let count = 0
    export function frobnicate() { return ++count }`

  test('become title, description, arguments, result, effect and examples', async () => {
    const { tools } = await planModule(module(source, 'a.ts'))
    const [weigh, old, remove, unknown] = tools
    expect(tools.map(({ name }) => name)).toStrictEqual(['weigh_hive', 'get_weight', 'remove_hive', 'frobnicate'])
    expect(weigh).toMatchObject({
      title: 'Weigh',
      about: 'Weighs a hive on its scale.\n\n- slowly\nFails when there is no such hive.',
      effect: 'read',
      isEffectGuessed: false,
      isDescribed: true,
      examples: [{ input: { hive: 'ML-04', unit: 'kg' }, output: { value: 41.2 } }, { input: { hive: 'ML-05' } }],
    })
    expect(weigh?.input.properties).toMatchObject({
      hive: { description: 'Hive code, see Hive.' },
      unit: { description: 'Unit of the answer.', default: 'kg', enum: ['kg', 'g'] },
    })
    expect(weigh?.result.schema).toMatchObject({ properties: { value: { description: 'Weight in that unit.' } } })
    expect(old).toMatchObject({ about: 'Deprecated: Use weighHive.\nOld.', tags: ['deprecated'], effect: 'read' })
    expect(remove).toMatchObject({
      about: 'Remove hive.',
      isDescribed: false,
      effect: 'remove',
      isEffectGuessed: true,
    })
    expect(unknown).toMatchObject({ effect: 'change', isEffectGuessed: true })
  })

  test('with @throws let an error message reach the model; other errors stay in the log', async () => {
    const link = await linkTo(
      module(`${source}\nexport function breaks() { throw new Error('path /srv/hidden') }`, 'b.ts'),
    )
    expect((await link.call('weigh_hive', { hive: 'ML-99' })).content).toStrictEqual([
      { type: 'text', text: 'There is no hive ML-99.' },
    ])
    expect(JSON.stringify((await link.call('breaks')).content)).not.toContain('hidden')
    await link.close()
  })

  test('can be selected, named, tagged and overridden by options', async () => {
    const { tools } = await planModule(module(source, 'c.ts'), {
      only: ['bee-*'],
      except: ['bee-frobnicate'],
      prefix: 'bee-',
      toolName: (name) => name,
      tags: ['hives'],
      effects: { 'bee-removeHive': 'change' },
    })
    expect(tools.map(({ name, tags, effect }) => [name, tags, effect])).toStrictEqual([
      ['bee-weighHive', ['hives'], 'read'],
      ['bee-getWeight', ['hives', 'deprecated'], 'read'],
      ['bee-removeHive', ['hives'], 'change'],
    ])
  })
})

describe('functions are found', () => {
  test('as declarations, arrow constants, default exports, re-exports and members of objects', async () => {
    const file = modules({
      'main.ts': `export const arrow = (a: number) => a + 1
        export default function (b: number) { return b + 2 }
        export { other as renamed } from './other.ts'
        export * from './more.ts'
        export const hives = { weigh: (kg: number) => kg, nested: 5 }
        export const limit = 5
        export type Ignored = string`,
      'other.ts': 'export function other(c: number) { return c + 3 }',
      'more.ts': '/** From elsewhere. */ export async function more() { return 4 }',
    })
    const { tools } = await planModule(file)
    expect(tools.map(({ name, path }) => [name, path])).toStrictEqual([
      ['arrow', ['arrow']],
      ['main', ['default']],
      ['hives_weigh', ['hives', 'weigh']],
      ['renamed', ['renamed']],
      ['more', ['more']],
    ])
  })

  test('in classes, on the instance that the author passes', async () => {
    const file = module(
      `export class Ledger {
         #entries = []
         /** Adds an entry. @param {string} text */
         add(text) { return this.#entries.push(text) }
         /** @returns {string[]} */
         list() { return this.#entries }
         static version() { return 'v1' }
       }`,
    )
    const without = await planModule(file)
    expect(without.tools.map(({ name }) => name)).toStrictEqual(['ledger_version'])
    expect(without.skipped.map(({ name, fix }) => [name, fix])).toStrictEqual([
      ['Ledger.add', 'pass one: instances: { Ledger: shared(() => new Ledger(…)) }'],
      ['Ledger.list', 'pass one: instances: { Ledger: shared(() => new Ledger(…)) }'],
    ])
    const { Ledger } = await import(file)
    const link = await linkTo(file, { instances: { Ledger: shared(() => new Ledger()) } })
    await link.call('ledger_add', { text: 'x' })
    expect((await link.call('ledger_list')).structuredContent).toStrictEqual({ value: ['x'] })
    await link.close()
    await expect(wrapModule(file, { instances: { Leger: shared(() => 1) } })).rejects.toThrow(
      /there is no exported class Leger/,
    )
  })

  test('in JavaScript, by the types in its comments', async () => {
    const file = module(`/**
      * Adds days to a day.
      * @param {Date} day The day.
      * @param {number} [days=7] How many.
      * @returns {Date}
      */
      export function addDays(day, days = 7) { return new Date(day.getTime() + days * 864e5) }`)
    const link = await linkTo(file)
    expect((await link.tools())[0]?.inputSchema).toMatchObject({
      properties: { day: { format: 'date-time', description: 'The day.' }, days: { type: 'number', default: 7 } },
      required: ['day'],
    })
    const { structuredContent } = await link.call('add_days', { day: '2026-06-02T06:00:00Z' })
    expect(structuredContent).toStrictEqual({ value: '2026-06-09T06:00:00.000Z' })
    await link.close()
  })

  test.each<[what: string, file: string, source: string, names: string[], about: string]>([
    [
      'CommonJS that exports an object',
      'a.cjs',
      '/** Adds. @param {number} a */\nfunction add(a) { return a }\nmodule.exports = { add }',
      ['add'],
      'Adds.',
    ],
    [
      'CommonJS that exports a function',
      'b.cjs',
      'module.exports = /** @param {string} s */ function shout(s) { return s.toUpperCase() }',
      ['shout'],
      'Shout.',
    ],
    [
      'a namespace',
      'c.mts',
      'export namespace Geo {\n/** Area. */\nexport function area(w: number) { return w } }',
      ['geo_area'],
      'Area.',
    ],
    [
      'an object as the default export',
      'd.ts',
      'export default {\n/** Pings. */\nping: (n: number) => n }',
      ['ping'],
      'Pings.',
    ],
    [
      'statics of the default class',
      'e.ts',
      'export default class Desk {\n/** Opens. */\nstatic open() { return 1 } }',
      ['desk_open'],
      'Opens.',
    ],
    [
      'a file with JSX',
      'f.tsx',
      '/** Renders. */\nexport function render(name: string): string { return String(<b>{name}</b>) }',
      ['render'],
      'Renders.',
    ],
    [
      'a generic over its lists',
      'g.ts',
      '/** First. */\nexport function first<const T extends readonly string[]>(names: T): T[number] { return names[0] ?? "" }',
      ['first'],
      'First.',
    ],
  ])('in %s', async (_what, file, source, names, about) => {
    const { tools } = await planModule(module(source, file))
    expect(tools.map(({ name }) => name)).toStrictEqual(names)
    expect(tools[0]?.about).toBe(about)
  })

  test('in a third-party package, by its published types', async () => {
    const link = await linkTo(`${import.meta.dirname}/../../node_modules/suncalc/index.js`, { only: ['get_*'] })
    const times = await link.call('get_times', { date: '2026-06-21T12:00:00Z', lat: 51.5, lng: 0 })
    expect(times.structuredContent).toMatchObject({
      sunrise: expect.stringMatching(/^2026-06-21T03:4/),
      night: null,
    })
    await link.close()
  })
})

describe('a call', () => {
  const source = `
    export async function waits(hive, signal) { await new Promise((_done, fail) => signal.addEventListener('abort', () => fail(signal.reason))) }
    export function counts(to, onProgress) { for (let at = 1; at <= to; at++) onProgress(at, to); return to }
    export function both(to, { onProgress, signal, step }) { onProgress(step); return signal instanceof AbortSignal && to }
    export async function* streams(to) { for (let at = 1; at <= to; at++) yield at }`
  const types = `
    export declare function waits(hive: string, signal: AbortSignal): Promise<void>
    export declare function counts(to: number, onProgress: (done: number, total?: number) => void): number
    export declare function both(to: number, { onProgress, signal, step }: { onProgress?: (done: number) => void; signal?: AbortSignal; step: number }): unknown
    export declare function streams(to: number): AsyncIterable<number>`
  let link: Link
  beforeAll(async () => {
    const folder = join(newFolder(), 'node_modules', 'steps')
    mkdirSync(folder, { recursive: true })
    writeFileSync(join(folder, 'package.json'), '{ "name": "steps", "type": "module" }')
    writeFileSync(join(folder, 'index.js'), source)
    writeFileSync(join(folder, 'index.d.ts'), types)
    link = await linkTo(join(folder, 'index.js'))
  })
  afterAll(() => link.close())
  const progressOf = async (tool: string, given: Record<string, unknown>) => {
    const seen: unknown[] = []
    const result = await link.call(tool, given, {
      onProgress: ({ progress, total }) => seen.push([progress, total]),
    })
    return [result.structuredContent ?? result.content, seen]
  }

  test('passes its signal to a trailing AbortSignal, which is not an argument', async () => {
    const { inputSchema } = (await link.tools()).find(({ name }) => name === 'waits') ?? {}
    expect(Object.keys((inputSchema as Loose).properties)).toStrictEqual(['hive'])
    const controller = new AbortController()
    const waiting = link.call('waits', { hive: 'x' }, { signal: controller.signal })
    setTimeout(() => controller.abort(new Error('enough')), 20)
    await expect(waiting).rejects.toThrow('enough')
  })

  test('turns onProgress into progress, also inside options', async () => {
    expect(await progressOf('counts', { to: 2 })).toStrictEqual([
      { value: 2 },
      [
        [1, 2],
        [2, 2],
      ],
    ])
    expect(await progressOf('both', { to: 9, step: 4 })).toStrictEqual([
      [{ type: 'text', text: '9' }],
      [[4, undefined]],
    ])
  })

  test('collects streamed values, and reports them as progress', async () => {
    expect(await progressOf('streams', { to: 2 })).toStrictEqual([
      { value: [1, 2] },
      [
        [1, undefined],
        [2, undefined],
      ],
    ])
  })
})

describe('a type that cannot be JSON skips its function, with the place and the fix', () => {
  test.each<[what: string, source: string, reason: RegExp, fix: RegExp]>([
    [
      'a callback',
      'export function f(a: string, onData: (x: string) => void) {}',
      /parameter onData: a function cannot be JSON/,
      /accept data instead/,
    ],
    [
      'a method among the data',
      'export function f(a: { run(): void }) {}',
      /parameter a\.run: a function/,
      /accept data/,
    ],
    [
      'a stream',
      'export function f(a: ReadableStream) {}',
      /parameter a: a ReadableStream cannot be JSON/,
      /plain data/,
    ],
    [
      'a node of a page',
      'export function f(): HTMLElement { throw 1 }',
      /its result: an HTMLElement cannot be JSON/,
      /plain data/,
    ],
    ['a symbol', 'export function f(a: symbol) {}', /a symbol cannot be JSON/, /string/],
    [
      'a class with something private',
      'class C { private x = 1 }\nexport function f(c: C) {}',
      /parameter c: it has the private member x/,
      /interface/,
    ],
    [
      'deep inside',
      'export function f(a: { list: { when: RegExp }[] }) {}',
      /parameter a\.list\.when: a RegExp/,
      /source as a string/,
    ],
    ['never', 'export function f(a: never) {}', /its type is never/, /fix the type/],
  ])('%s', async (_what, source, reason, fix) => {
    const { tools, skipped } = await planModule(module(`${source}\nexport function fine() { return 1 }`, 'left.ts'))
    expect(tools.map(({ name }) => name)).toStrictEqual(['fine'])
    expect(skipped).toMatchObject([
      {
        name: 'f',
        where: expect.stringMatching(/left\.ts:\d/),
        reason: expect.stringMatching(reason),
        fix: expect.stringMatching(fix),
      },
    ])
  })
})

describe('a source that cannot be wrapped is reported in one sentence', () => {
  test.each<[what: string, source: string, says: RegExp]>([
    ['nothing exported', 'const a = 1', /it exports nothing; export the functions/],
    ['no functions', 'export const a = 1', /it exports no functions/],
    [
      'nothing that can be a tool',
      'export function f(a: symbol) {}',
      /none of its exports can become a tool: f \(parameter a: a symbol/,
    ],
    [
      'an import that is not there',
      "import { x } from './nowhere.js'\nexport const f = () => x",
      /Cannot find module '\.\/nowhere\.js'/,
    ],
    ['broken syntax', 'export function f( {', /it cannot be read \(.*expected/],
  ])('%s', async (_what, source, says) => {
    await expect(wrapModule(module(source, 'bad.ts'))).rejects.toThrow(says)
  })

  test('a relative path is refused with the line to write; a missing file is named', async () => {
    await expect(wrapModule('colony.ts')).rejects.toThrow('write new URL("./colony.ts", import.meta.url)')
    await expect(wrapModule('/nowhere/colony.ts')).rejects.toThrow(/there is no such file/)
  })

  test('type errors are warnings if the needed types resolve', async () => {
    const { tools, warnings } = await planModule(
      module('export function f(a: string): number { return a }', 'warn.ts'),
    )
    expect(tools).toHaveLength(1)
    expect(warnings[0]).toMatch(/warn\.ts:1: Type 'string' is not assignable to type 'number'/)
  })
})

test('a plan comes from the cache until a file that it depends on changes', async () => {
  const file = modules({
    'main.ts': "import type { Kind } from './kind.ts'\nexport function kind(a: Kind) { return a }",
    'kind.ts': "export type Kind = 'a'",
  })
  const kinds = async () => (await planModule(file)).tools[0]?.input.properties
  for (const _again of [1, 2]) expect(await kinds()).toStrictEqual({ a: { type: 'string', const: 'a' } })
  writeFileSync(join(file, '..', 'kind.ts'), "export type Kind = 'a' | 'b'")
  expect(await kinds()).toStrictEqual({ a: { type: 'string', enum: ['a', 'b'] } })
})
