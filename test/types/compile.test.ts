import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { root } from '../support/cli.js'
import { typeIssues } from '../support/types.js'

/** Code that authors may write, and the compile errors for their mistakes; one file each. */
const head = `import { defineKit, prompt, resource, setting, shared, template, tool, type Call, type Kit } from 'jexo'
import { connect, type Link } from 'jexo/link'
import { openKit } from 'jexo/testing'
import { z } from 'zod'
const hive = z.object({ hive: z.string(), unit: z.enum(['kg', 'lb']).default('kg') })
const base = { about: 'Weighs.', effect: 'read' } as const
const keys = { SITE: setting({ about: 'Site.' }), KEY: setting({ about: 'Key.', optional: true, secret: true }), UNIT: setting({ about: 'Unit.', optional: true, default: 'kg' }) }
const weigh = tool('weigh', { ...base, input: hive, output: z.object({ kg: z.number() }), run: () => ({ kg: 1 }) })
const count = tool('count', { ...base, run: () => 'three' })
const kit = defineKit({ name: 'k', version: '1.0.0', parts: [weigh, count] })
`
const rows: [what: string, code: string, error?: RegExp][] = [
  [
    'settings by name',
    "tool('t', { ...base, settings: keys, run: (_, call) => { const all: string = call.settings.SITE + call.settings.UNIT; return all } })",
  ],
  [
    'a mistyped setting',
    "tool('t', { ...base, settings: keys, run: (_, call) => call.settings.SITES })",
    /Property 'SITES' does not exist on type .*SITE/,
  ],
  [
    'an optional setting as a string',
    "tool('t', { ...base, settings: keys, run: (_, call) => { const key: string = call.settings.KEY; return key } })",
    /Type 'string \| undefined' is not assignable to type 'string'/,
  ],
  [
    'a setting that the part does not declare',
    "tool('t', { ...base, run: (_, call) => { const site: string = call.settings.SITE; return site } })",
    /'string \| undefined' is not assignable/,
  ],
  [
    'settings of resources and prompts',
    "resource('a://b', { name: 'b', about: 'B.', settings: keys, read: (call) => call.settings.SITE.trim() }); prompt('p', { about: 'P.', settings: keys, run: (_, call) => call.settings.NO })",
    /Property 'NO' does not exist/,
  ],
  [
    'settings of shared connections',
    'shared(({ settings }) => settings.SITE.trim(), () => {}, { settings: keys }); shared(({ settings }) => settings.KEY.trim(), () => {}, { settings: keys })',
    /'settings.KEY' is possibly 'undefined'/,
  ],
  [
    'a function that takes any call',
    'const site = (call: Call) => call.settings.SITE ?? ""; tool("t", { ...base, settings: keys, run: (_, call) => site(call) })',
  ],
  ['askFor', "tool('t', { ...base, input: hive, askFor: ['hive'], run: () => 1 })"],
  [
    'askFor of no argument',
    "tool('t', { ...base, input: hive, askFor: ['hives'], run: () => 1 })",
    /Type '"hives"' is not assignable to type '"hive" \| "unit"'/,
  ],
  [
    'examples, with defaults left out',
    "tool('t', { ...base, input: hive, output: z.object({ kg: z.number() }), examples: [{ input: { hive: 'ML-04' }, output: { kg: 1 } }], run: () => ({ kg: 1 }) })",
  ],
  [
    'an example that lacks an argument',
    "tool('t', { ...base, input: hive, examples: [{ input: { unit: 'kg' } }], run: () => 1 })",
    /Property 'hive' is missing in type '\{ unit: "kg"; \}'/,
  ],
  [
    'an example with a wrong result',
    "tool('t', { ...base, output: z.object({ kg: z.number() }), examples: [{ input: {}, output: { kg: 'much' } }], run: () => ({ kg: 1 }) })",
    /Type 'string' is not assignable to type 'number'/,
  ],
  [
    'completions',
    "prompt('p', { about: 'P.', input: z.object({ hive: z.string() }), complete: { hive: () => ['a'] }, run: ({ hive }) => hive.trim() })",
  ],
  [
    'a completion for no argument',
    "prompt('p', { about: 'P.', input: z.object({ hive: z.string() }), complete: { hives: () => ['a'] }, run: () => '' })",
    /'hives' does not exist in type|but 'hives' does not exist/,
  ],
  [
    'a prompt with a number',
    "prompt('p', { about: 'P.', input: z.object({ count: z.number() }), run: () => '' })",
    /the arguments of a prompt are strings/,
  ],
  [
    'an optional prompt argument',
    "prompt('p', { about: 'P.', input: z.object({ hive: z.string().optional(), unit: z.enum(['kg']) }), run: () => '' })",
  ],
  [
    'variables of a template',
    "template('a://{site}/{+rest}{?from,to}', { name: 'n', about: 'N.', complete: { site: () => [] }, read: ({ site, rest, from }) => site.trim() + rest.trim() + (from ?? '').trim() })",
  ],
  [
    'a mistyped variable',
    "template('a://{site}', { name: 'n', about: 'N.', read: ({ sites }) => sites })",
    /Property 'sites' does not exist/,
  ],
  [
    'a variable that may be missing',
    "template('a://x{?from}', { name: 'n', about: 'N.', read: ({ from }) => from.trim() })",
    /'from' is possibly 'undefined'/,
  ],
  [
    'a completion for no variable',
    "template('a://{site*}/{name:3}', { name: 'n', about: 'N.', complete: { nam: () => [] }, read: ({ name }) => name })",
    /'nam' does not exist in type|but 'nam' does not exist/,
  ],
  [
    'a text as input',
    "tool('t', { ...base, input: z.string(), run: () => 1 })",
    /not an object; use an object with the value as a property/,
  ],
  [
    'an array as output',
    "tool('t', { ...base, output: z.array(z.string()), run: () => [] })",
    /an array; use an object with the array as a property/,
  ],
  [
    'plain JSON Schema',
    "tool('t', { ...base, input: { type: 'object', properties: { a: { type: 'number' } }, required: ['a'] }, askFor: ['a'], run: ({ a }) => a.toFixed() })",
  ],
  [
    'plain JSON Schema of a text',
    "tool('t', { ...base, input: { type: 'string' }, run: () => 1 })",
    /not an object/,
  ],
  [
    'unions and records as input',
    "tool('t', { ...base, input: z.discriminatedUnion('k', [z.object({ k: z.literal('a') }), z.object({ k: z.literal('b'), n: z.number() })]), askFor: ['n'], run: () => 1 }); tool('u', { ...base, input: z.record(z.string(), z.number()), run: () => 1 })",
  ],
  [
    'a mistyped option',
    "tool('t', { ...base, inputs: hive, run: () => 1 })",
    /'inputs' does not exist in type|but 'inputs' does not exist/,
  ],
  [
    'a link to a kit',
    "const link = await connect(kit); const { structuredContent } = await link.call('weigh', { hive: 'ML-04' }); structuredContent?.kg.toFixed(); await link.call('count')",
  ],
  [
    'a tool that the kit does not have',
    "const link = await connect(kit); await link.call('weight', { hive: 'ML-04' })",
    /'"weight"' is not assignable to parameter of type '"weigh" \| "count"'/,
  ],
  [
    'a call without its arguments',
    "const link = await connect(kit); await link.call('weigh')",
    /Expected 2-3 arguments, but got 1/,
  ],
  [
    'a call with a wrong argument',
    "const link = await connect(kit); await link.call('weigh', { hive: 4 })",
    /Type 'number' is not assignable to type 'string'/,
  ],
  [
    'a result that is not there',
    "const link = await connect(kit); (await link.call('weigh', { hive: '' })).structuredContent?.lb",
    /Property 'lb' does not exist on type '\{ kg: number; \}'/,
  ],
  [
    'a link as one to any server',
    "const list = (link: Link) => link.tools(); list(await connect(kit)); const any: Kit = kit; await (await connect(any)).call('whatever', { a: 1 }); await (await connect('https://a.example/mcp')).call('x')",
  ],
  [
    'a link to a kit file',
    "const link = await openKit<typeof kit>('a.kit.ts'); await link.call('weigh', { hive: 'x' }); await (await openKit('b.kit.ts')).call('any')",
  ],
]

const { compilerOptions } = JSON.parse(readFileSync(join(root, 'tsconfig.json'), 'utf8'))
const fileOf = (at: number) => join(root, `test/types/row-${at}.ts`)
const texts = Object.fromEntries(rows.map(([, code], at) => [fileOf(at), `${head}${code}\nexport {}\n`]))

let issues: string[]
beforeAll(() => {
  const options = { ...compilerOptions, noUnusedLocals: false, types: ['node'] }
  issues = typeIssues(Object.keys(texts), options, (file) => file in texts, texts)
})

test.each(rows.map(([what, , error], at) => ({ what, error, at })))('$what', ({ error, at }) => {
  const errors = issues.filter((issue) => issue.startsWith(`${fileOf(at)}: `))
  if (error) expect(errors).toStrictEqual([expect.stringMatching(error)])
  else expect(errors).toStrictEqual([])
})
