import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { defineKit } from 'jexo'
import { type PlannedTool, planModule, type WrapModuleOptions, wrapModule, writeKit } from 'jexo/module'
import { connect } from 'jexo/node'
import { jexoIn, newFolder, root } from '../../support/cli.js'
import { typeIssues } from '../../support/types.js'

const folder = join(root, 'examples', `.field-notes-functions-${process.pid}`)
afterAll(() => rmSync(folder, { recursive: true, force: true }))

/** A module with this text in a folder where a kit finds its packages. */
function moduleOf(text: string, name = 'hives.ts'): string {
  const file = join(folder, newFolder().slice(-6), name)
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(file, text)
  return file
}
async function toolsOf(text: string, name?: string): Promise<Record<string, PlannedTool>> {
  const { tools } = await planModule(moduleOf(text, name))
  return Object.fromEntries(tools.map((tool) => [tool.name, tool]))
}
const linkTo = async (file: string, options?: WrapModuleOptions) =>
  connect(defineKit({ name: 'k', version: '1', about: 'x', parts: await wrapModule(file, options) }))

const overloads = `
/** Formats a day.
 * @param at The day */
export function format(at: Date): string
/** Formats a span.
 * @param from The first day
 * @param to The last */
export function format(from: Date, to: Date): { span: string }
export function format(a: Date, b?: Date): unknown { return b ? { span: a.toISOString().slice(0, 10) + '/' + b.toISOString().slice(0, 10) } : a.toISOString() }
/** Repeats. */
export function repeat(what: string): string
export function repeat(what: string, times: number): string[]
export function repeat(what: number, times: number): number[]
export function repeat(what: string | number, times?: number): unknown { return arguments.length === 1 ? what : Array(times).fill(what) }
/** Finds. */
export function find(code: string): string
export function find(test: (code: string) => boolean): string
export function find(by: unknown): string { return String(by) }
`

test('overloads become one tool that accepts the arguments of each, with the text of each', async () => {
  const plan = await planModule(moduleOf(overloads))
  const [format, repeat, find] = plan.tools
  expect(format?.about).toBe('Formats a day.\n\nFormats a span.\nArguments that go together: at; or from, to.')
  expect(format?.input).toMatchObject({ properties: { at: { description: 'The day' }, from: {}, to: {} } })
  expect(format?.input.required).toBeUndefined()
  expect(repeat?.input).toMatchObject({
    properties: { what: { anyOf: [{ type: 'string' }, { type: 'number' }] }, times: { type: 'number' } },
    required: ['what'],
  })
  expect(find?.input.properties).toStrictEqual({ code: { type: 'string' } })
  expect(plan.notes).toStrictEqual([
    'find never passes arguments of 1 of its 2 overloads: parameter test: a function cannot be JSON',
  ])
})

const overloadCalls: [string, Record<string, unknown>, unknown][] = [
  ['format', { at: '2026-05-01T00:00:00Z' }, '2026-05-01T00:00:00.000Z'],
  ['format', { from: '2026-05-01T00:00:00Z', to: '2026-05-03T00:00:00Z' }, { span: '2026-05-01/2026-05-03' }],
  [
    'format',
    { at: '2026-05-01T00:00:00Z', to: '2026-05-03T00:00:00Z' },
    /do not go together\. Pass at; or from, to\./,
  ],
  ['repeat', { what: 'ML' }, 'ML'],
  ['repeat', { what: 'ML', times: 2 }, ['ML', 'ML']],
  ['repeat', { what: 4, times: 2 }, [4, 4]],
]

test('the arguments select the overload, live and in a written kit', async () => {
  const file = moduleOf(overloads)
  const kitFile = file.replace('.ts', '.kit.ts')
  await writeKit(file, kitFile, {})
  const { default: written } = (await import(kitFile)) as { default: Parameters<typeof connect>[0] }
  for (const link of [await linkTo(file), await connect(written as never)]) {
    for (const [name, args, wanted] of overloadCalls) {
      const { isError, structuredContent, content } = await link.call(name, args as never)
      if (wanted instanceof RegExp)
        expect([isError, JSON.stringify(content)]).toStrictEqual([true, expect.stringMatching(wanted)])
      else expect([name, args, structuredContent]).toStrictEqual([name, args, { value: wanted }])
    }
    await link.close()
  }
})

/** The behaviour of a function, its source, and the expected effect. */
const bodies: [string, string, 'read' | 'add' | 'change' | 'remove'][] = [
  ['adds numbers', 'function addWeights(a: number, b: number) { return a + b }', 'read'],
  [
    'fills a list of its own',
    'const moveAll = (kg: number[]) => { const out: number[] = []; for (const one of kg) out.push(one); return out.sort() }',
    'read',
  ],
  [
    'writes to a date it has made',
    'function addDays(at: Date, days: number) { const day = new Date(at); day.setDate(day.getDate() + days); return day }',
    'read',
  ],
  [
    'writes to its argument, which comes from JSON',
    'function tag(hive: { tags: string[] }) { hive.tags.push("x"); return hive }',
    'read',
  ],
  ['calls what only reads', 'function setUp(n: number) { return [n].map(twice).map((one) => twice(one)) }', 'read'],
  ['calls itself', 'function run(n: number): number { return n < 2 ? 1 : n * run(n - 1) }', 'read'],
  ['is made by a function', 'const post: (a: number) => number = curried((a) => a + 1)', 'read'],
  ['writes to a variable of the module', 'function store(n: number) { last = n; return last }', 'change'],
  ['writes to a list of the module', 'function record(text: string) { log.push(text); return log.length }', 'add'],
  [
    'writes to what it found in the module',
    'function update(n: number) { const hive = at(n)!; hive.kg = 2; return hive }',
    'change',
  ],
  ['calls a package', 'function drop(path: string) { rmSync(path); return path }', 'remove'],
  ['fetches', 'async function submit(path: string) { return (await fetch(path)).status }', 'add'],
  ['runs SQL of the module', 'function saveAll(sql: string) { return db.exec(sql) }', 'change'],
  ['calls one that writes, through a circle', 'function put(x: number) { return circle(x) }', 'change'],
  [
    'loads a package where it needs it',
    'function dropAll(path: string) { require("node:fs").rmSync(path); return path }',
    'remove',
  ],
  ['replaces in a store of the module', 'function swap(code: string) { return shelf.replace(code) }', 'change'],
  [
    'writes in the default of a destructured argument',
    'function toggle({ kg = log.push("x") }: { kg?: number }) { return kg }',
    'change',
  ],
  [
    'reads only, and says otherwise',
    '/** @effect change */\nexport function sumUp(a: number) { return a }',
    'change',
  ],
]
const around = `
import { rmSync } from 'node:fs'
const twice = (n: number) => n * 2
const curried = (fn: (a: number) => number) => (a: number) => fn(a)
let last = 0
const log: string[] = []
const hives = [{ kg: 1 }]
const at = (n: number) => hives[n]
declare const require: (name: string) => { rmSync(path: string): void }
declare const shelf: { replace(code: string): string }
declare const db: { exec(sql: string): number }
let n = 0
function circle(x: number): number { return x > 3 ? back(x) : x }
function back(x: number): number { n++; return circle(x - 1) }
`

test('effects are inferred from the body, and from the name if the body is unclear', async () => {
  const texts = bodies.map(([, text]) => (text.startsWith('/**') ? text : `export ${text}`))
  const tools = await toolsOf(around + texts.join('\n'))
  const effects = Object.values(tools).map(({ effect }) => effect)
  expect(bodies.map(([what], at) => [what, effects[at]])).toStrictEqual(
    bodies.map(([what, , wanted]) => [what, wanted]),
  )
})

test('a body that is nested too deeply is judged by its name', async () => {
  const { put_all: put } = await toolsOf(
    `export function putAll(a: number) { return ${Array(4000).fill('a').join(' + ')} }`,
  )
  expect(put?.effect).toBe('change')
})

test('text, nested functions, destructured lists, zod schemas and `this`', async () => {
  const plan = await planModule(
    moduleOf(`
      import { z } from 'zod'
      export const hiveSchema = z.object({ code: z.string().min(2).max(4), kg: z.number().min(0).int().nullable(), tags: z.array(z.string().regex(/^\\w+$/)).max(3).describe('Words') })
      type Hive = z.infer<typeof hiveSchema>
      /** Saves. */
      export function saveHive(hive: Hive, others: Hive[] = []): number { return others.length + hive.code.length }
      /** @summary Adds up. @remarks Twice.
       * @description In kilograms. */
      export function sum<T extends { kg: number }>(all: T[]): number { return all.length }
      /** Changes. */
      export function update(change: Partial<{ kg: number }>, all: Record<string, Readonly<{ kg: number }>>): object { return { change, all } }
      /** Pairs. */
      export function pair([from, to]: [string, number]): string { return from + to }
      export const api = { hives: { weigh: (code: string) => code.length }, nested: { deep: { pong: () => 'pong' } } }
      export function needsThis(this: { kg: number }, n: number): number { return this.kg * n }
    `),
  )
  const tools = Object.fromEntries(plan.tools.map((tool) => [tool.name, tool]))
  expect(Object.keys(tools)).toStrictEqual([
    'save_hive',
    'sum',
    'update',
    'pair',
    'api_hives_weigh',
    'api_nested_deep_pong',
  ])
  const hive = {
    properties: {
      code: { type: 'string', minLength: 2, maxLength: 4 },
      kg: { anyOf: [{ type: 'null' }, { type: 'integer', minimum: 0 }] },
      tags: { type: 'array', maxItems: 3, description: 'Words', items: { type: 'string', pattern: '^\\w+$' } },
    },
  }
  expect(tools.save_hive?.input.properties).toMatchObject({ hive, others: { items: hive } })
  expect(tools.sum?.about).toBe('Adds up.\n\nIn kilograms.\n\nTwice.')
  expect(JSON.stringify(tools.update?.input)).not.toContain('description')
  expect(Object.keys(tools.pair?.input.properties ?? {})).toStrictEqual(['from_to'])
  expect(tools.api_nested_deep_pong?.path).toStrictEqual(['api', 'nested', 'deep', 'pong'])
  expect(plan.skipped.map(({ name, reason }) => [name, reason])).toStrictEqual([
    ['needsThis', 'parameter this: it needs a value for `this`, which tool calls do not have'],
  ])
})

/** Packages as installed in a project: CommonJS without types, paths by `exports`, and a main file without its extension. */
const packages: Record<string, string> = {
  'comb/package.json': '{ "name": "comb", "main": "./lib" }',
  'comb/lib.js':
    'module.exports = comb\nmodule.exports.cells = (n) => n * 6\n/** Builds a comb. @param {number} rows */\nfunction comb(rows) { return rows }\n',
  'nectar/package.json':
    '{ "name": "nectar", "type": "module", "exports": { ".": "./index.js", "./flows/*": { "types": "./flows/*.d.ts", "import": "./flows/*.js" } } }',
  'nectar/index.js': 'export const all = () => 1\n',
  'nectar/flows/spring.js': 'export function spring(kg) { return kg }\n',
  'nectar/flows/spring.d.ts': '/** Of spring. */\nexport declare function spring(kg: number): number\n',
}

test('packages by path, without types, and by a main file without its extension', async () => {
  const project = newFolder()
  for (const [name, text] of Object.entries(packages)) {
    mkdirSync(dirname(join(project, 'node_modules', name)), { recursive: true })
    writeFileSync(join(project, 'node_modules', name), text)
  }
  const comb = JSON.parse((await jexoIn(project, 'wrap', 'comb', '--json')).stdout)
  expect(comb.tools.map(({ name, about, effect }: PlannedTool) => [name, about, effect])).toStrictEqual([
    ['cells', 'Cells.', 'read'],
    ['comb', 'Builds a comb.', 'read'],
  ])
  const { stdout } = await jexoIn(project, 'wrap', 'nectar/flows/spring', '--out', 'spring.kit.ts')
  expect(stdout).toContain('spring(kg) → value  read?')
  const kit = await import('node:fs').then((fs) => fs.readFileSync(join(project, 'spring.kit.ts'), 'utf8'))
  expect(kit).toContain("import * as spring from 'nectar/flows/spring'")
})

test('functions of the same shape stay separate, and one exported twice is one tool', async () => {
  const plan = await planModule(
    moduleOf(`
      interface Api { weigh(code: string): number }
      const made = (n: number) => (code: string): number => code.length + n
      export const one = made(1)
      export const two = made(2)
      export const north: Api = { weigh: (code) => code.length }
      export const south: Api = { weigh: (code) => code.length + 1 }
      export function find(code: string): string { return code }
      export const api = { find }
    `),
  )
  expect(plan.tools.map(({ name }) => name)).toStrictEqual(['north_weigh', 'south_weigh', 'one', 'two', 'find'])
})

test('repeated types are stated once, and many functions can be a catalogue', async () => {
  const fields = Array.from({ length: 30 }, (_, at) => `/** Field ${at} of a visit. */ field${at}: string`).join(
    '\n',
  )
  const source = `
    export interface Visit { ${fields} }
    /** Compares visits. */
    export function compare(first: Visit, second: Visit, more: Visit[]): string { return first.field0 + second.field0 + more.length }
    /** Counts letters. */
    export function letters(text: string): number { return text.length }
  `
  const { compare } = await toolsOf(source)
  expect(compare?.input.properties).toStrictEqual({
    first: { $ref: '#/$defs/Visit' },
    second: { $ref: '#/$defs/Visit' },
    more: { type: 'array', items: { $ref: '#/$defs/Visit' } },
  })
  const link = await linkTo(moduleOf(source), { catalogue: true })
  const names = (await link.tools()).map(({ name }) => name)
  expect(names).toStrictEqual(['find_function', 'explain_function', 'carry_out_function'])
  const call = async (name: string, args: object) => {
    const [first] = (await link.call(name, args as never)).content as { text: string }[]
    return JSON.parse(first?.text ?? '')
  }
  expect(await call('find_function', { words: 'count letters' })).toMatchObject({
    functions: [{ function: 'letters', does: 'Counts letters.' }],
  })
  expect(await call('carry_out_function', { function: 'letters', arguments: { text: 'hive' } })).toStrictEqual({
    value: 4,
  })
  const refused = await link.call('carry_out_function', { function: 'letters', arguments: { text: 4 } })
  expect(JSON.stringify(refused.content)).toContain('text: received 4; expected a string')
  await link.close()
})

test('a large plan is short: signatures, grouped reasons, methods without an instance apart, and the context cost', async () => {
  const file = moduleOf(
    [
      ...Array.from(
        { length: 70 },
        (_, at) =>
          `/** ${'Weighs a hive of the northern site. '.repeat(40)} */ export const weigh${at} = (kg: number) => kg`,
      ),
      'export const eachHive = (run: () => void): void => run()\nexport const eachVisit = (run: () => void): void => run()',
      'export class Ledger { constructor(readonly path: string) {} /** A total. */ total(): number { return 1 } /** Rows. */ rows(): number { return 2 } }',
    ].join('\n'),
  )
  const { stdout } = await jexoIn(dirname(file), 'wrap', 'hives.ts')
  expect(stdout).toContain(
    '  weigh69(kg) → value  read?\n\nMethods without an instance  2\n  Ledger.total, Ledger.rows\n',
  )
  expect(stdout).toContain('Skipped  2\n  eachHive, eachVisit\n    parameter run: a function cannot be JSON')
  expect(stdout.replace(/\s+/g, ' ')).toMatch(
    /About 3\d,\d+ tokens as 70 tools; \d+ tokens as a catalogue of three tools .*: use --catalogue/,
  )
})

test('a written kit compiles with strict and with the settings of a new project', async () => {
  const file = moduleOf(`${overloads}
    interface Wood { path: string; inner?: Wood }
    export enum Site { Ivy = 'ivy', Lime = 'lime' }
    type Code = string & { readonly brand: 'hive' }
    /** Deep. */ export function deep(options?: { tags?: Map<string, Date>; when: Date | null }, site = Site.Ivy): Map<string, Date> { return new Map([[site, options?.when ?? new Date()]]) }
    /** Woods. */ export function wood(wood: Wood, code: Code, ...more: bigint[]): Wood | undefined { return more.length ? undefined : { ...wood, path: code } }
    /** First. */ export function first<T extends Date>(all: T[], at: T): T[] { return all.length > 0 ? all : [at] }
    /** Windows. */ export function windows(n: number): [] | number[] { return n > 0 ? [n] : [] }
    /** Streams. */ export async function* stream(n: number, signal: AbortSignal): AsyncGenerator<Date> { if (!signal.aborted) yield new Date(n) }
    export class Ledger { /** Finds. */ find(code: string): string; find(code: string, at: Date): string; find(code: string): string { return code } }
    export const api = { inner: { /** Bytes. */ bytes(data: Uint8Array): Uint8Array { return data } } }
  `)
  writeFileSync(join(dirname(file), 'tsconfig.json'), '{ "compilerOptions": { "strict": true } }')
  const kitFile = file.replace('.ts', '.kit.ts')
  await writeKit(file, kitFile, { instances: ['Ledger'] })
  const options = { types: ['node'], skipLibCheck: true, strict: true, target: 'es2023', module: 'nodenext' }
  expect(typeIssues([kitFile], options, (path) => path.startsWith(dirname(kitFile)))).toStrictEqual([])
})
