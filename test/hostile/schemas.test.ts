import { compilingValidator } from '../../src/kit/compiling-validator.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { needsLinearEngine } from '../../src/kit/pattern.js'
import { leastCpuMs } from '../support/cpu.js'

const validators = { compiling: compilingValidator, interpreting: interpretingValidator }
const names = Object.keys(validators) as (keyof typeof validators)[]
const cross = <T extends readonly unknown[]>(rows: readonly T[]) =>
  names.flatMap((name) => rows.map((row) => [name, ...row] as const))

/** Schemas and values that cost an unbounded validator seconds, gigabytes or its process; and the correct result for each. */
const many = 100_000
const costly: readonly (readonly [name: string, schema: object, value: unknown, isValid: boolean])[] = [
  ['nested repetition', { pattern: '^(a+)+$' }, `${'a'.repeat(50_000)}!`, false],
  ['nested repetition that fits', { pattern: '^(a+)+$' }, 'a'.repeat(50_000), true],
  ['alternatives that overlap', { pattern: '^(a|aa)+$' }, `${'a'.repeat(5000)}!`, false],
  ['many repetitions', { pattern: '^a*a*a*a*a*a*b$' }, 'a'.repeat(5000), false],
  ['many optional characters', { pattern: `^${'a?'.repeat(30)}${'a'.repeat(30)}$` }, 'a'.repeat(29), false],
  ['a repetition without an anchor', { pattern: 'a+b' }, 'a'.repeat(100_000), false],
  ['look-ahead over a repetition', { pattern: '^(?=(a+)+$)a' }, `${'a'.repeat(40)}!`, true],
  ['a back-reference', { pattern: '^(a+)\\1+$' }, 'a'.repeat(10_000), false],
  ['bounds within bounds', { pattern: '^(x{1,100}){1,100}y$' }, 'x'.repeat(2000), true],
  [
    'different items',
    { uniqueItems: true },
    Array.from({ length: many }, (_, at) => ({ at: at % (many - 1) })),
    false,
  ],
  ['many wrong items', { items: { type: 'integer' } }, Array.from({ length: many }, () => 'x'), false],
  [
    'many unknown names',
    { additionalProperties: false },
    Object.fromEntries(Array.from({ length: many }, (_, at) => [`k${at}`, 1])),
    false,
  ],
  ['a long email', { format: 'email' }, `${'a.'.repeat(100_000)}@x`, false],
  ['a long host name', { format: 'hostname' }, 'a-'.repeat(100_000), false],
  ['a long URI', { format: 'uri' }, `http://${'a'.repeat(100_000)} `, false],
  ['a URL', { format: 'url' }, `http://${'a'.repeat(40)}!`, true],
  ['a URL with dashes', { format: 'url' }, `http://${'a-a'.repeat(40)}.`, true],
  ['a long template', { format: 'uri-template' }, `{${'a'.repeat(100_000)}`, false],
  [
    'an array of arrays',
    { $defs: { a: { type: 'array', items: { $ref: '#/$defs/a' } } }, $ref: '#/$defs/a' },
    JSON.parse(`${'['.repeat(100)}${']'.repeat(100)}`),
    true,
  ],
]

test.each(cross(costly))('%s: %s', async (validator, _name, schema, value, isValid) => {
  const validate = await validators[validator].prepare(schema as never)
  expect(leastCpuMs(1000, () => validate(value))).toBeLessThan(1000)
  const issues = validate(value)
  expect(issues.length === 0).toBe(isValid)
  expect(issues.length).toBeLessThanOrEqual(20)
})

const usual: readonly (readonly [pattern: string, fits: string, fitsNot: string, needsEngine: boolean])[] = [
  ['^[A-Z]{2}-\\d{2}$', 'ML-04', 'ML-4', false],
  ['^[a-z0-9-]+$', 'a-b'.repeat(3000), 'A', false],
  ['^[a-z]+(-[a-z]+)*$', 'marsh-lane', 'marsh-', true],
  ['^(?=.*\\d)(?=.*[a-z]).{8,}$', 'abcdefg1', 'abcdefgh', true],
  ['^(\\w)\\1$', 'aa', 'ab', true],
  ['bees?', 'a bee', 'a be', false],
  ['^\\p{L}+\\s\\p{Lu}', 'ä Ö', 'ä ö', false],
  ['^\\u{1F41D}+$', '🐝🐝', 'bee', false],
  ['^(?:a|b)?c{0,5}?$', 'bcc', 'bd', true],
]

test.each(cross(usual))(
  '%s: the pattern %s means what it says',
  async (validator, pattern, fits, fitsNot, needsEngine) => {
    expect(needsLinearEngine({ pattern })).toBe(needsEngine)
    const validate = await validators[validator].prepare({ type: 'string', pattern })
    expect([validate(fits).length, validate(fitsNot).length]).toStrictEqual([0, 1])
  },
)

test.each(names)('%s: two patterns in one schema stay separate', async (validator) => {
  const properties = { a: { pattern: '^(a+)+$' }, b: { pattern: '^(b+)+$' } }
  const validate = await validators[validator].prepare({ properties })
  expect(validate({ a: 'aa', b: 'bb' })).toStrictEqual([])
  expect(validate({ a: 'bb', b: 'bb' })).toHaveLength(1)
})

test.each(names)('%s: $async at any depth does not accept everything', async (validator) => {
  const schema = { $async: true, properties: { a: { $async: true, type: 'integer' } }, required: ['a'] }
  const validate = await validators[validator].prepare(schema)
  expect([validate({ a: 1 }).length, validate({ a: 'x' }).length, validate({}).length]).toStrictEqual([0, 1, 1])
})
