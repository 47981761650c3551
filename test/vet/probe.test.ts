import { join } from 'node:path'
import fc from 'fast-check'
import { vetTarget } from 'jexo/vet'
import type { JsonObject } from '../../src/protocol/messages.js'
import { readTarget } from '../../src/target/target.js'
import { fitting } from '../../src/vet/probe/arbitrary.js'
import { probe } from '../../src/vet/probe/probe.js'
import { probeRules } from '../../src/vet/probe/verdict.js'
import { issuesOf } from '../../src/vet/schema-issues.js'
import { bin, jexo, root, written } from '../support/cli.js'

const careless = `exec:"${process.execPath}" "${join(root, 'test/support/careless-server.mjs')}"`
const target = async () => (await readTarget(careless)) as never

describe('values generated from a schema', () => {
  const schemas: [string, JsonObject][] = [
    ['texts with a pattern', { type: 'string', pattern: '^ML-\\d\\d$' }],
    [
      'texts with a pattern and a length that hardly any has',
      { type: 'string', pattern: '^[a-z]{60}$', minLength: 60 },
    ],
    ['texts with bounds', { type: 'string', minLength: 3, maxLength: 5 }],
    [
      'formats',
      {
        type: 'object',
        properties: {
          on: { type: 'string', format: 'date' },
          at: { type: 'string', format: 'date-time' },
          by: { type: 'string', format: 'email' },
          id: { type: 'string', format: 'uuid' },
          to: { type: 'string', format: 'uri' },
        },
        required: ['on', 'at', 'by', 'id', 'to'],
      },
    ],
    ['whole numbers between bounds', { type: 'integer', minimum: 3, exclusiveMaximum: 9 }],
    ['numbers beyond a million', { type: 'number', minimum: 5e6 }],
    ['multiples', { type: 'number', multipleOf: 0.5, minimum: 1, maximum: 4 }],
    [
      'unions',
      {
        anyOf: [
          {
            type: 'object',
            properties: { by: { const: 'code' }, code: { type: 'string' } },
            required: ['by', 'code'],
          },
          { type: 'integer' },
        ],
      },
    ],
    [
      'all of several',
      {
        allOf: [
          { type: 'object', properties: { a: { type: 'boolean' } }, required: ['a'] },
          { properties: { b: { enum: [1, 2] } }, required: ['b'] },
        ],
      },
    ],
    [
      'lists of different values',
      {
        type: 'array',
        items: { type: 'integer', minimum: 0, maximum: 30 },
        minItems: 2,
        maxItems: 6,
        uniqueItems: true,
      },
    ],
    ['tuples', { type: 'array', prefixItems: [{ type: 'string' }, { type: 'null' }], minItems: 2, maxItems: 2 }],
    [
      'references that come back to themselves',
      {
        $defs: {
          box: {
            type: 'object',
            properties: { inner: { anyOf: [{ $ref: '#/$defs/box' }, { type: 'null' }] } },
            required: ['inner'],
          },
        },
        $ref: '#/$defs/box',
      },
    ],
    ['fields of any name', { type: 'object', additionalProperties: { type: 'number' }, minProperties: 1 }],
    ['several types', { type: ['string', 'null'] }],
  ]
  test.each(schemas)('match it: %s', async (_, schema) => {
    await fc.assert(
      fc.asyncProperty(fitting(fc, schema), async (value) => {
        expect(await issuesOf(schema, value)).toStrictEqual([])
      }),
      { numRuns: 40, seed: 11 },
    )
  })
})

describe('probing', () => {
  test('finds each fault with the smallest call that shows it, and continues after a crash and a hang', async () => {
    const { snapshot } = await vetTarget(await target())
    const report = await probe(await target(), snapshot.tools, { calls: 60, seed: 7, timeoutMs: 400 })
    const found = report.findings.map(({ rule, location }) => `${location} ${rule}`).sort()
    expect(found).toStrictEqual(
      expect.arrayContaining([
        'tool coder probe-protocol-error',
        'tool crasher probe-crash',
        'tool hanger probe-hang',
        'tool lax probe-wrong-taken',
        'tool liar probe-output-issue',
        'tool maker probe-unmade',
        'tool thrower probe-threw',
        'tool tracer probe-stack-trace',
      ]),
    )
    expect(found.filter((line) => /good|writer/.test(line))).toStrictEqual([])
    expect(new Set(report.findings.map(({ rule }) => rule)).size).toBe(probeRules.length)
    const what = report.findings.find(({ rule }) => rule === 'probe-stack-trace')?.problem
    expect(what).toContain('called with {"list":[100]}')
    expect(report).toMatchObject({ tools: 9, left: 1, seed: 7 })
  })

  test('makes the same calls for the same seed', async () => {
    const { snapshot } = await vetTarget(await target())
    const tools = snapshot.tools.filter(({ name }) => name === 'tracer')
    const once = await probe(await target(), tools, { calls: 30, seed: 5 })
    expect(await probe(await target(), tools, { calls: 30, seed: 5 })).toStrictEqual(once)
    expect(once.findings.length).toBeGreaterThan(0)
  })

  test('as a command: counts the tools, prints the seed, and refuses a number of calls that is not one', async () => {
    const kit = written(
      'thin.kit.mjs',
      `import { defineKit, tool } from 'jexo'
const input = { type: 'object', properties: { count: { type: 'integer' } }, required: ['count'] }
const about = 'Counts the frames of a hive, for trials.'
export default defineKit({ name: 'thin', version: '1', parts: [
  tool('count_frames', { about, effect: 'read', input, run: ({ count }) => { throw new Error('no ' + count) } }),
  tool('add_frames', { about, effect: 'change', input, run: () => 1 }) ] })`,
    )
    const ran = await jexo('vet', kit, '--probe', '20', '--seed', '3', '--check-timeout', '3000', '--json')
    expect(ran.code).toBe(1)
    const { probe: counts, findings } = JSON.parse(ran.stdout)
    expect(counts).toMatchObject({ seed: 3, tools: 1, left: 1 })
    expect(findings.some(({ group }: { group: string }) => group === 'probe')).toBe(true)
    const wrong = await jexo('vet', careless, '--probe', 'many')
    expect(wrong).toMatchObject({ code: 2, stderr: expect.stringContaining('--probe many') })
  }, 120_000)
})

test('finds output printed at import and output of a program that the kit starts', async () => {
  const kit = written(
    'loud.kit.mjs',
    `import { spawnSync } from 'node:child_process'
import { defineKit, tool } from 'jexo'
console.log('at import')
spawnSync(process.execPath, ['-e', 'console.log("from a child")'], { stdio: 'inherit' })
export default defineKit({ name: 'loud', version: '1', about: 'Prints, for trials.', parts: [tool('list_lines', { about: 'Lists the lines of the book, in order.', effect: 'read', run: () => { console.log('in a call'); return 'x' } })] })`,
  )
  const { findings } = await vetTarget(
    (await readTarget(`exec:"${process.execPath}" "${bin}" serve "${kit}"`)) as never,
    { probe: { calls: 2, seed: 1 } },
  )
  const prints = findings.filter(({ group }) => group === 'wire').map(({ rule, problem }) => `${rule}: ${problem}`)
  expect(prints).toStrictEqual([
    expect.stringMatching(/^stray-output: it writes "from a child" to stdout/),
    expect.stringMatching(/^print-diverted: console\.log in the loading of .*loud\.kit\.mjs/),
    expect.stringMatching(/^print-diverted: console\.log in tool `list_lines`/),
  ])
})
