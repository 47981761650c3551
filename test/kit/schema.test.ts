import { isStandardSchema, jsonSchemaOf, resolvedIn, schemaAt } from '../../src/kit/schema.js'
import { checkFor, explainIssues, isSmall } from '../../src/kit/validation.js'

const dialect = 'https://json-schema.org/draft/2020-12/schema'
const object = { type: 'object' }

describe('the published schema of a part has an object at its root', () => {
  test.each<[string, object, object]>([
    ['no keyword', {}, object],
    ['the default dialect', { $schema: dialect, ...object }, object],
    ['an older dialect', { $schema: 'x', ...object }, { $schema: 'x', ...object }],
    ['a union of objects', { anyOf: [object, object] }, { ...object, anyOf: [object, object] }],
    ['properties without a type', { properties: { a: {} } }, { ...object, properties: { a: {} } }],
    ['a reference', { $ref: '#/$defs/A' }, { ...object, $ref: '#/$defs/A' }],
  ])('%s', (_what, given, published) => {
    const schema = jsonSchemaOf('tool "t"', 'input', given as never)
    expect(schema).toStrictEqual(published)
    expect(Object.isFrozen(schema)).toBe(true)
  })

  test.each<[string, object, RegExp]>([
    ['a text', { type: 'string' }, /of type "string"/],
    ['several types', { type: ['object', 'null'] }, /of several types/],
    ['a union with a text', { anyOf: [object, { type: 'string' }] }, /of several types/],
    ['another type with properties', { type: 'array', properties: {} }, /of type "array"/],
    ['another type with a union of objects', { type: 'string', anyOf: [object] }, /of type "string"/],
    ['only a description', { description: 'x' }, /of several types/],
  ])('%s is refused', (_what, given, message) => {
    expect(() => jsonSchemaOf('tool "t"', 'input', given as never)).toThrow(message)
  })

  test('a schema of a library without JSON Schema is refused, and a function can be a schema', () => {
    const schema = Object.assign(() => {}, { '~standard': { vendor: 'own', version: 1, validate: () => ({}) } })
    expect(isStandardSchema(schema)).toBe(true)
    expect(isStandardSchema(5)).toBe(false)
    expect(isStandardSchema(null)).toBe(false)
    expect(isStandardSchema({ '~standard': {} })).toBe(false)
    expect(() => jsonSchemaOf('tool "t"', 'input', schema as never)).toThrow(/own/)
  })
})

describe('the schema at a path', () => {
  const root = {
    type: 'object',
    properties: {
      a: { items: { type: 'string' } },
      pair: { prefixItems: [{ type: 'number' }], items: { type: 'null' } },
      hive: { $ref: '#/$defs/Hive' },
      loop: { $ref: '#/$defs/Loop' },
      none: { $ref: '#/$defs/None' },
    },
    additionalProperties: { type: 'boolean' },
    $defs: { Hive: { properties: { kg: { type: 'integer' } } }, Loop: { $ref: '#/$defs/Loop' } },
  }
  test.each<[(string | number)[], unknown]>([
    [[], root],
    [['a', 0], { type: 'string' }],
    [['pair', 0], { type: 'number' }],
    [['pair', 1], { type: 'null' }],
    [['pair', '0'], { type: 'number' }],
    [['hive', 'kg'], { type: 'integer' }],
    [['hive', 'other'], undefined],
    [['other'], { type: 'boolean' }],
    [['toString'], { type: 'boolean' }],
    [['a', 0, 'x'], undefined],
    [['other', 'x', 'y'], undefined],
    [['loop'], { $ref: '#/$defs/Loop' }],
    [['none'], { $ref: '#/$defs/None' }],
  ])('%j', (path, expected) => {
    expect(schemaAt(root, path)).toStrictEqual(expected)
  })

  test('eight references in a row are followed', () => {
    const chain = (length: number) => ({
      $defs: Object.fromEntries(
        Array.from({ length }, (_, at) => [
          `D${at}`,
          at + 1 < length ? { $ref: `#/$defs/D${at + 1}` } : { const: 1 },
        ]),
      ),
    })
    expect(resolvedIn(chain(8), { $ref: '#/$defs/D0' })).toStrictEqual({ const: 1 })
    expect(resolvedIn(chain(9), { $ref: '#/$defs/D0' })).toStrictEqual({ $ref: '#/$defs/D8' })
  })
})

describe('an explanation', () => {
  const numbers = Object.fromEntries(Array.from({ length: 15 }, (_, at) => [`n${at}`, { type: 'number' }]))
  const issues = (count: number) =>
    Array.from({ length: count }, (_, at) => ({ path: [`n${at}`], reason: 'must be number' }))

  test('has twelve issues at most, and counts the others', () => {
    const schema = { type: 'object', properties: numbers }
    const lines = (count: number) => explainIssues('t', schema, {}, issues(count)).split('\n')
    expect(lines(12)).toHaveLength(14)
    expect(lines(15)).toHaveLength(15)
    expect(lines(15)[13]).toBe('- and 3 more')
  })

  test('names required and optional arguments', () => {
    const schema = { type: 'object', properties: { a: {}, b: {} }, required: ['a'] }
    expect(explainIssues('t', schema, {}, [])).toMatch(/\nArguments of t: a, b\?\.$/)
    expect(explainIssues('t', { type: 'object' }, {}, [])).toMatch(/\nt takes no arguments\.$/)
  })

  test.each<[unknown, (string | number)[], string, string]>([
    [{ n0: 'x' }, ['n0'], 'r', 'n0: received "x"; expected a number'],
    [{}, ['n0'], 'r', 'n0: missing; expected a number'],
    [{ n: 1 }, ['n'], 'there is no such property', 'n: received 1; there is no such argument'],
    [{ n: 1 }, ['n'], 'must be even', 'n: received 1; must be even'],
    [{ a: { b: 1 } }, ['a', 'b'], 'there is no such property', 'a.b: received 1; there is no such property'],
    [[], [], 'must be object', 'arguments: received []; must be object'],
    [undefined, ['a', 'b'], 'r', 'a.b: missing; r'],
    [{ n0: 'x'.repeat(118) }, ['n0'], 'r', `n0: received "${'x'.repeat(118)}"; expected a number`],
    [{ n0: 'x'.repeat(119) }, ['n0'], 'r', `n0: received "${'x'.repeat(116)}…; expected a number`],
  ])('of %.30j at %j', (value, path, reason, line) => {
    const schema = { type: 'object', properties: numbers }
    expect(explainIssues('t', schema, value, [{ path, reason }]).split('\n')[1]).toBe(`- ${line}`)
  })
})

describe('an explanation of a value that matches no branch of a union', () => {
  const union = { anyOf: [{ type: 'string' }, { type: 'object', properties: { kind: { const: 'x' } } }] }
  const schema = {
    type: 'object',
    properties: {
      a: union,
      b: { type: 'object', properties: { a: union, c: { type: 'number' } } },
      n: { type: 'number' },
    },
  }
  const value = { a: 5, b: { a: 5, c: 'x' }, n: 'x' }
  test.each<[string[], string[]]>([
    [
      ['a', 'a.kind', 'b.c'],
      ['a', 'b.c'],
    ],
    [
      ['a.kind', 'a', 'n'],
      ['a', 'n'],
    ],
    [['a', 'a'], ['a']],
    [
      ['a', 'b.a'],
      ['a', 'b.a'],
    ],
    [
      ['b.a.kind', 'b.a', 'a', 'a.kind'],
      ['b.a', 'a'],
    ],
    [
      ['a.kind', 'n'],
      ['a.kind', 'n'],
    ],
    [
      ['b.c', 'n', 'a.x.y'],
      ['b.c', 'n', 'a.x.y'],
    ],
  ])('has of the issues %j only %j', (paths, lines) => {
    const issues = paths.map((path, at) => ({ path: path.split('.'), reason: `reason ${at}` }))
    const text = explainIssues('t', schema, value, issues).split('\n').slice(1, -1)
    expect(text.map((line) => /^- ([^:]+):/.exec(line)?.[1])).toStrictEqual(lines)
  })
})

describe('a check', () => {
  const never = { prepare: () => () => [] }
  const standard = (issues: object[]) =>
    ({ '~standard': { version: 1, vendor: 'own', validate: () => ({ issues }) } }) as never

  test('of a tool without arguments refuses any', async () => {
    const check = checkFor(undefined, jsonSchemaOf('tool "t"', 'input', undefined), never)
    expect(await check({})).toStrictEqual({ ok: true, value: {} })
    expect(await check({ a: 1 })).toStrictEqual({
      ok: false,
      issues: [{ path: ['a'], reason: 'there is no such property' }],
    })
  })

  test('by another library has its paths and at most 20 issues', async () => {
    const issues = [
      { message: 'x', path: ['a', { key: 0 }, 1, Symbol.iterator] },
      ...Array(30).fill({ message: 'y' }),
    ]
    const checked = (await checkFor(standard(issues), {}, never)({})) as { issues: object[] }
    expect(checked.issues).toHaveLength(20)
    expect(checked.issues.slice(0, 2)).toStrictEqual([
      { path: ['a', 0, 1, 'Symbol(Symbol.iterator)'], reason: 'x' },
      { path: [], reason: 'y' },
    ])
  })

  test('of a value that is nested too deeply fails, and other errors are thrown', async () => {
    const failing = (error: Error) => ({
      prepare: () => () => {
        throw error
      },
    })
    expect(await checkFor({}, {}, failing(new RangeError('stack')))({})).toStrictEqual({
      ok: false,
      issues: [{ path: [], reason: 'it is nested too deeply' }],
    })
    expect(() => checkFor({}, {}, failing(new TypeError('own')))({})).toThrow('own')
  })

  test('compiles a schema once', async () => {
    let count = 0
    const prepare = async () => {
      count++
      return () => []
    }
    const check = checkFor({}, {}, { prepare })
    expect(await check(1)).toStrictEqual({ ok: true, value: 1 })
    expect(await check(2)).toStrictEqual({ ok: true, value: 2 })
    expect(count).toBe(1)
  })
})

test.each<[string, unknown, boolean]>([
  ['2000 values', Array(1999).fill(1), true],
  ['2001 values', Array(2000).fill(1), false],
  ['a text of 199 kB', 'x'.repeat(199_000), true],
  ['two texts of 150 kB', ['x'.repeat(150_000), 'x'.repeat(150_000)], false],
  ['nested values', { a: Array(10).fill(Array(500).fill(null)) }, false],
])('whether %s are few', (_what, value, expected) => {
  expect(isSmall(value)).toBe(expected)
})
