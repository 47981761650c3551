import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import { type ModulePlan, planModule, wrapModule, writeKit } from 'jexo/module'
import { connect } from 'jexo/node'
import { jexo, newFolder, root } from '../../support/cli.js'

/** A module with this text in a new folder, where a kit finds its packages. */
function moduleOf(text: string, name = 'hives.ts'): string {
  const folder = join(root, 'examples', `.field-notes-exact-${process.pid}`, newFolder().slice(-6))
  mkdirSync(folder, { recursive: true })
  const file = join(folder, name)
  writeFileSync(file, text)
  return file
}
afterAll(async () => {
  const { rmSync } = await import('node:fs')
  rmSync(join(root, 'examples', `.field-notes-exact-${process.pid}`), { recursive: true, force: true })
})
const inputOf = (plan: ModulePlan, name: string) => plan.tools.find((tool) => tool.name === name)?.input

const source = `
interface Context { log(text: string): void }
interface Options { most?: number; match?: RegExp; signal?: AbortSignal; onProgress?: (done: number) => void; deep?: { log?: () => void; kg: number } }
/** Lists hives. */
export function listHives(site: string, options?: Options): object { return { site, most: options?.most ?? 0, aborted: options?.signal?.aborted ?? 'none', progress: typeof options?.onProgress } }
/** Finds by a text or a pattern. */
export function findHives(by: string | RegExp | { test(text: string): boolean }): string { return String(by) }
/** Runs in a context. */
export function weigh(code: string, context?: Context, times = 1): string { return code + ' ' + (context === undefined) + ' ' + times }
/** Stops when it is told to. */
export async function watch(signal: AbortSignal, code: string, onProgress: (done: number, of?: number) => void): Promise<string> { onProgress(1, 2); return code + ' ' + signal.aborted }
/** Shouts. */
export function shout({ text, how = (t: string) => t.toUpperCase() }: { text: string; how?: (t: string) => string }): string { return how(text) }
/** Needs what nobody can give. */
export function needs(context: Context): string { return String(context) }
/** Only a pattern. */
export function only(by: RegExp | Context): string { return String(by) }
`

test('an optional member that cannot be JSON removes only itself, and the plan reports it', async () => {
  const plan = await planModule(moduleOf(source))
  expect(plan.tools.map(({ name }) => name)).toStrictEqual(['list_hives', 'find_hives', 'weigh', 'watch', 'shout'])
  expect(inputOf(plan, 'list_hives')).toMatchObject({
    properties: {
      options: {
        properties: {
          most: { type: 'number' },
          deep: { properties: { kg: { type: 'number' } }, required: ['kg'] },
        },
        additionalProperties: false,
      },
    },
    required: ['site'],
  })
  expect(inputOf(plan, 'find_hives')?.properties).toStrictEqual({ by: { type: 'string' } })
  expect(Object.keys(inputOf(plan, 'weigh')?.properties ?? {})).toStrictEqual(['code', 'times'])
  expect(Object.keys(inputOf(plan, 'watch')?.properties ?? {})).toStrictEqual(['code'])
  expect(Object.keys(inputOf(plan, 'shout')?.properties ?? {})).toStrictEqual(['text'])
  expect(plan.notes).toStrictEqual([
    'list_hives never passes options.match: a RegExp cannot be JSON',
    'list_hives never passes options.deep.log: a function cannot be JSON',
    'find_hives never passes by: a RegExp cannot be JSON',
    'find_hives never passes by.test: a function cannot be JSON',
    'weigh never passes context.log: a function cannot be JSON',
    expect.stringMatching(/^shout never passes .*how: a function cannot be JSON$/),
  ])
  expect(plan.skipped.map(({ name, reason }) => `${name}: ${reason}`)).toStrictEqual([
    'needs: parameter context.log: a function cannot be JSON',
    expect.stringMatching(/^only: parameter by/),
  ])
})

const calls: [string, object, unknown][] = [
  ['list_hives', { site: 'Ivy' }, { site: 'Ivy', most: 0, aborted: false, progress: 'function' }],
  [
    'list_hives',
    { site: 'Ivy', options: { most: 3 } },
    { site: 'Ivy', most: 3, aborted: false, progress: 'function' },
  ],
  ['find_hives', { by: 'ML' }, { value: 'ML' }],
  ['weigh', { code: 'ML', times: 2 }, { value: 'ML true 2' }],
  ['watch', { code: 'ML' }, { value: 'ML false' }],
  ['shout', { text: 'bees' }, { value: 'BEES' }],
]

test('injected and omitted parameters keep their position, live and in a written kit', async () => {
  const file = moduleOf(
    source.replace(/interface Context.*/, 'type Context = { log(text: string): void }'),
    'live.mjs'.replace('.mjs', '.ts'),
  )
  const kit = file.replace('.ts', '.kit.ts')
  await writeKit(file, kit, {})
  for (const [name, args, wanted] of calls) {
    const words = Object.entries(args).map(
      ([key, value]) => `${key}=${typeof value === 'string' ? value : JSON.stringify(value)}`,
    )
    const { stdout, stderr } = await jexo('call', kit, name, ...words, '--json')
    expect({ name, stderr: /error/.test(stderr) ? stderr : '', value: JSON.parse(stdout || 'null') }).toStrictEqual(
      {
        name,
        stderr: '',
        value: wanted,
      },
    )
  }
})

test('a wrapped JavaScript module gets signals and options as it declares them', async () => {
  const file = moduleOf(
    `/** Lists. @param {string} site @param {{ most?: number, signal?: AbortSignal }} [options] @returns {{ site: string, most: number, aborted: string }} */
     export function list(site, options) { return { site, most: options?.most ?? 0, aborted: String(options?.signal?.aborted) } }`,
    'lists.mjs',
  )
  const link = await connect(defineKit({ name: 'k', version: '1', about: 'x', parts: await wrapModule(file) }))
  expect((await link.call('list', { site: 'Ivy' })).structuredContent).toStrictEqual({
    site: 'Ivy',
    most: 0,
    aborted: 'false',
  })
  await link.close()
})

test('names that clash never stop a plan', async () => {
  const plan = await planModule(
    moduleOf(`
      /** Weighs. */ export function weighHive(code: string): string { return code }
      export { weighHive as default, weighHive as weighIt }
      /** Other. */ export function weigh_hive(code: string): string { return code + '2' }
      /** Third. */ export const WeighHive = (code: string): string => code + '3'
    `),
  )
  expect(plan.tools.map(({ name, path }) => [name, path.join('.')])).toStrictEqual([
    ['weigh_hive', expect.stringMatching(/^(weighHive|weighIt|default)$/)],
    ['weigh_hive_2', 'weigh_hive'],
    ['weigh_hive_3', 'WeighHive'],
  ])
  expect(plan.skipped).toMatchObject([{ reason: expect.stringMatching(/^it is the same function as/) }])
  expect(plan.notes).toStrictEqual([
    expect.stringMatching(
      /^weigh_hive_2 is weigh_hive \(.*hives\.ts:4\), since (weighHive|default) is weigh_hive$/,
    ),
    expect.stringMatching(/^weigh_hive_3 is WeighHive/),
  ])
})
