import { closestTo } from '../../src/kit/closest.js'
import { compilingValidator, createCompilingValidator } from '../../src/kit/compiling-validator.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { describeSchema } from '../../src/kit/schema.js'
import { explainIssues } from '../../src/kit/validation.js'

const schema = Object.freeze({
  type: 'object',
  properties: {
    name: { type: 'string', minLength: 2 },
    when: { type: 'string', format: 'date-time' },
    sizes: { type: 'array', prefixItems: [{ type: 'integer' }], items: { type: 'string' } },
  },
  required: ['name'],
  additionalProperties: false,
})

describe.each([
  ['compiling', compilingValidator],
  ['interpreting', interpretingValidator],
])('the %s validator', (_name, validator) => {
  test.each<[unknown, string[]]>([
    [{ name: 'ab' }, []],
    [{ name: 'ab', when: '2026-06-02T06:00:00Z', sizes: [1, 'a'] }, []],
    [{}, ['name']],
    [{ name: 'a' }, ['name']],
    [{ name: 'ab', when: 'soon' }, ['when']],
    [{ name: 'ab', sizes: ['x'] }, ['sizes.0']],
    [{ name: 'ab', sizes: [1, 2] }, ['sizes.1']],
    [{ name: 'ab', other: 1 }, ['other']],
  ])('checks %j', async (value, issues) => {
    const check = await validator.prepare(schema)
    expect([...new Set(check(value).map(({ path }) => path.join('.')))]).toStrictEqual(issues)
  })

  test('uses the older dialect that a schema names', async () => {
    const older = {
      $schema: 'http://json-schema.org/draft-07/schema#',
      type: 'object',
      properties: { a: { items: [{ type: 'string' }] } },
    }
    const check = await validator.prepare(older)
    expect(check({ a: ['x', 5] })).toStrictEqual([])
    expect(check({ a: [5] })).not.toStrictEqual([])
  })

  test('keeps two schemas with the same $id apart', async () => {
    const [first, second] = await Promise.all([
      validator.prepare({ $id: 'x:same', type: 'object', required: ['a'] }),
      validator.prepare({ $id: 'x:same', type: 'object', required: ['b'] }),
    ])
    expect(first({ a: 1 })).toStrictEqual([])
    expect(second({ a: 1 })).not.toStrictEqual([])
  })
})

describe('a compiling validator of its own', () => {
  const own = createCompilingValidator()
  const reasons = async (schema: object, value: unknown) =>
    (await own.prepare(schema as never))(value).map(({ path, reason }) => `${path.join('.')}: ${reason}`)

  test.each<[string, unknown, boolean]>([
    ['date', '2026-06-02', true],
    ['date', '2026-13-02', false],
    ['time', '10:00:00Z', true],
    ['time', '25:00:00Z', false],
    ['ipv4', '10.0.0.1', true],
    ['ipv4', '10.0.0', false],
    ['ipv4', '1'.repeat(1025), false],
    ['regex', '^a', true],
    ['regex', '(', false],
    ['byte', 'aGl2ZQ==', true],
    ['byte', '?', false],
    ['int32', 5, true],
    ['int32', 2 ** 31, false],
    ['password', 'x'.repeat(5000), true],
    ['unknown', 'x', true],
  ])('checks the format %s of %.20j: %s', async (format, value, expected) => {
    expect((await reasons({ format }, value)).length === 0).toBe(expected)
  })

  test('reports all issues of a small value, the first of a large one, and 20 at most', async () => {
    const schema = { properties: { a: { type: 'string' }, b: { type: 'string' } } }
    expect(await reasons(schema, { a: 1, b: 1 })).toStrictEqual(['a: must be string', 'b: must be string'])
    expect(await reasons(schema, { a: 1, b: 1, c: Array(3000).fill(1) })).toStrictEqual(['a: must be string'])
    expect(await reasons({ items: { type: 'string' } }, Array(30).fill(1))).toHaveLength(20)
    const pattern = { properties: { a: { pattern: '^(x+)+$' }, b: { pattern: '^(x+)+$' } } }
    expect(await reasons(pattern, { a: 'y', b: 'y' })).toStrictEqual([
      'a: must match pattern "^(x+)+$"',
      'b: must match pattern "^(x+)+$"',
    ])
  })

  test('reports a rule that depends on a condition once, and a missing item of a list once', async () => {
    const either = JSON.parse('{ "if": { "required": ["a"] }, "then": { "required": ["b"] } }')
    expect(await reasons(either, { a: 1 })).toStrictEqual(['b: it is required'])
    const contains = { contains: { properties: { a: { type: 'string' } }, required: ['a'] } }
    expect(await reasons(contains, [{ a: 1 }, {}])).toStrictEqual([': must contain at least 1 valid item(s)'])
  })

  test('refuses a schema that its dialect does not allow, and ignores "$async"', async () => {
    await expect(own.prepare({ type: 'hive' })).rejects.toThrow(/type/)
    await expect(
      own.prepare({ $schema: 'http://json-schema.org/draft-07/schema#', type: 'hive' }),
    ).rejects.toThrow()
    expect(await reasons({ $async: true, type: 'string' }, 5)).toStrictEqual([': must be string'])
    expect(await reasons({ properties: { $async: { type: 'string' } } }, { $async: 5 })).toStrictEqual([])
  })

  test('allows equal items unless they are forbidden, and checks items that are not JSON-equal apart', async () => {
    expect(await reasons({ uniqueItems: false }, [1, 1])).toStrictEqual([])
    expect(await reasons({ uniqueItems: true }, [1, '1'])).toStrictEqual([])
    expect(await reasons({ uniqueItems: true }, [{ a: 1 }, { a: 1 }])).toHaveLength(1)
  })

  test.each(['http://json-schema.org/draft-04/schema#', 'https://json-schema.org/draft/2019-09/schema'])(
    'checks the dialect %s',
    async ($schema) => {
      const tuple = { $schema, items: [{ type: 'string' }], additionalItems: { type: 'number' } }
      expect(await reasons(tuple, ['x', 5])).toStrictEqual([])
      expect(await reasons(tuple, ['x', 'y'])).toStrictEqual(['1: must be number'])
    },
  )
})

describe('the interpreting validator', () => {
  const reasons = async (schema: object, value: unknown) =>
    (await interpretingValidator.prepare(schema as never))(value).map(
      ({ path, reason }) => `${path.join('.')}: ${reason}`,
    )

  test('reports all issues of a small value, the first of a large one, and 20 at most', async () => {
    const schema = { properties: { a: { type: 'string' }, b: { type: 'string' } } }
    expect(await reasons(schema, { a: 1, b: 1 })).toStrictEqual(['a: must be string', 'b: must be string'])
    expect(await reasons(schema, { a: 1, b: 1, c: Array(3000).fill(1) })).toStrictEqual(['a: must be string'])
    expect(await reasons({ items: { type: 'string' } }, Array(30).fill(1))).toHaveLength(20)
    expect(await reasons({}, Array(100_001).fill(1))).toStrictEqual([
      ': it has more than 100000 values, which is the limit for validation',
    ])
  })

  test('checks lists with unique items up to 1,000, patterns at any depth, and no values as schemas', async () => {
    const unique = { uniqueItems: true }
    const numbers = (count: number) => Array.from({ length: count }, (_, at) => at)
    expect(await reasons(unique, numbers(1000))).toStrictEqual([])
    expect(await reasons(unique, numbers(1001))).toStrictEqual([': must NOT have more than 1000 items'])
    expect(await reasons({ ...unique, maxItems: 2 }, numbers(3))).toStrictEqual([
      ': must NOT have more than 2 items',
    ])
    expect(await reasons({ ...unique, maxItems: 2000 }, numbers(1001))).toHaveLength(1)
    expect(await reasons({ uniqueItems: false }, numbers(1001))).toStrictEqual([])
    const nested = { allOf: [{ minLength: 2 }], pattern: '^a' }
    expect(await reasons({ properties: { x: nested } }, { x: 'b' })).toStrictEqual([
      'x: must NOT have fewer than 2 characters',
      'x: must match pattern "^a"',
    ])
    const plain = { const: { pattern: '^a', uniqueItems: true } }
    expect(await reasons(plain, { pattern: '^a', uniqueItems: true })).toStrictEqual([])
    const choice = { enum: [{ pattern: '^a' }, { uniqueItems: true }] }
    expect(await reasons(choice, { pattern: '^a' })).toStrictEqual([])
    expect(await reasons(choice, { uniqueItems: true })).toStrictEqual([])
  })

  test('drops properties by patterns that could take long, and keeps the others', async () => {
    const schema = { patternProperties: { '^(a+)+$': { type: 'number' }, '^b': { type: 'number' } } }
    expect(await reasons(schema, { aa: 'x', b: 'x' })).toStrictEqual(['b: must be number'])
  })

  test.each([
    ['http://json-schema.org/draft-04/schema#', true],
    ['http://json-schema.org/draft-07/schema#', false],
  ])('excludes a minimum in the dialect %s as %s', async ($schema, expected) => {
    const found = await reasons({ $schema, minimum: 3, exclusiveMinimum: true }, 3)
    expect(found.length > 0).toBe(expected)
  })

  test('checks a format of its own during the check only', async () => {
    expect(await reasons({ pattern: '^x$' }, 'y')).toHaveLength(1)
    expect(await reasons({ format: 'jexo-pattern:^x$' }, 'y')).toStrictEqual([])
  })
})

const checks: [object, unknown][] = [
  [{ type: 'string' }, 5],
  [{ type: ['string', 'null'] }, 5],
  [{ const: 3 }, 4],
  [{ enum: ['a', 'b'] }, 'c'],
  [{ minLength: 3 }, 'ab'],
  [{ maxLength: 1 }, 'ab'],
  [{ pattern: '^ML-\\d\\d$' }, 'ab'],
  [{ format: 'date' }, 'ab'],
  [{ minimum: 3 }, 2],
  [{ maximum: 3.5 }, 12],
  [{ exclusiveMinimum: 3 }, 3],
  [{ exclusiveMaximum: -3 }, 3],
  [{ multipleOf: 2 }, 3],
  [{ minItems: 2 }, [1]],
  [{ maxItems: 1 }, [1, 2]],
  [{ uniqueItems: true }, [1, 1]],
  [{ contains: { type: 'string' } }, [1]],
  [{ minProperties: 2 }, { a: 1 }],
  [{ maxProperties: 1 }, { a: 1, b: 2 }],
  [{ required: ['a', 'b'] }, {}],
  [
    { properties: { a: {} }, additionalProperties: false },
    { a: 1, b: 2, c: 3 },
  ],
  [{ properties: { a: false } }, { a: 1 }],
  [{ dependentRequired: { a: ['b'] } }, { a: 1 }],
  [{ not: { type: 'string' } }, 'a'],
  [{ patternProperties: { '^a': { type: 'string' } } }, { a: 1, b: 1 }],
  [{ dependentSchemas: { a: { required: ['b'] } } }, { a: 1 }],
  [{ oneOf: [{ type: 'number' }, { minimum: 1 }] }, 5],
  [{ allOf: [{ type: 'string' }, { minimum: 6 }] }, 5],
  [
    { properties: { a: {} }, unevaluatedProperties: false },
    { a: 1, b: 1 },
  ],
  [{ $defs: { A: { type: 'string' } }, items: { $ref: '#/$defs/A' } }, [5]],
  [JSON.parse('{ "if": { "required": ["a"] }, "then": { "required": ["b"] } }'), { a: 1 }],
  [
    { properties: { list: { items: { properties: { kg: { type: 'number' } } } } } },
    { list: [{ kg: 'x' }, { kg: 1 }] },
  ],
]

test.each(checks)('both validators report the same issues for %j, each once', async (broken, value) => {
  const [compiling, interpreting] = await Promise.all([
    compilingValidator.prepare(broken as never),
    interpretingValidator.prepare(broken as never),
  ])
  const issues = compiling(value)
  expect(issues.length).toBeGreaterThan(0)
  expect(interpreting(value)).toStrictEqual(issues)
})

test('an explanation has each line once, and says "argument" only for arguments', () => {
  const input = { type: 'object', properties: { hive: { type: 'string' } } }
  const twice = { path: ['hiv'], reason: 'there is no such property' }
  const text = explainIssues('weigh', input, { hiv: 1 }, [twice, twice])
  expect(text.match(/there is no such argument/g)).toHaveLength(1)
})

test('similar names are listed once', () => {
  expect(closestTo('hive', ['hives', 'hives', 'hive_list'])).toStrictEqual(['hive_list', 'hives'])
})

test.each([
  [{ type: 'string', pattern: '^ML-\\d\\d$' }, 'a string, matching ^ML-\\d\\d$'],
  [{ type: 'integer', minimum: 1, maximum: 5 }, 'an integer, at least 1, at most 5'],
  [{ enum: ['a', 'b'] }, 'one of "a", "b"'],
  [{ const: 3 }, '3'],
  [{ anyOf: [{ type: 'string' }, { type: 'null' }] }, 'a string, or a null'],
  [{ anyOf: [1, 2, 3, 4, 5, 6].map((one) => ({ const: one })) }, '1, or 2, or 3, or 4, or 5, or 6'],
  [
    { anyOf: [1, 2, 3, 4, 5, 6, 7, 8].map((one) => ({ const: one })) },
    '1, or 2, or 3, or 4, or 5, or 6, or 2 others',
  ],
  [{ oneOf: [{ type: 'string' }, { type: 'string' }] }, 'a string'],
  [
    { enum: Array.from({ length: 22 }, (_, at) => at) },
    `one of ${Array.from({ length: 20 }, (_, at) => at).join(', ')}`,
  ],
  [{ type: 'string', minLength: 1, maxLength: 2 }, 'a string, at least 1 character, at most 2 characters'],
  [{ type: 'array', minItems: 1, maxItems: 0 }, 'an array, at least 1 item, at most 0 items'],
  [{ type: 'string', format: 'date', pattern: '^2' }, 'a string, format date'],
  [{ type: 'integer', minimum: -9007199254740991, maximum: 9007199254740991 }, 'an integer'],
  [{ type: 'object', required: ['a', 'b', 'c', 'd', 'e', 'f'] }, 'an object with a, b, c, d, e, f'],
  [{ type: 'object', required: ['a', 'b', 'c', 'd', 'e', 'f', 'g'] }, 'an object with a, b, c, d, e, f and more'],
  [{ type: 'object', required: [] }, 'an object'],
  [{ required: ['a'] }, 'a value'],
  [{}, 'a value'],
  [{ type: ['string', 'null'] }, 'a string or null'],
])('%j is described as %s', (given, words) => {
  expect(describeSchema(given)).toBe(words)
})

const shape = {
  type: 'object',
  properties: {
    shape: {
      anyOf: [
        {
          type: 'object',
          properties: { kind: { const: 'rect' }, w: { type: 'number' }, h: { type: 'number' } },
          required: ['kind', 'w', 'h'],
        },
        {
          type: 'object',
          properties: { kind: { const: 'round' }, r: { type: 'number' } },
          required: ['kind', 'r'],
        },
      ],
    },
    by: { anyOf: [{ type: 'string' }, { $ref: '#/$defs/Hive' }, { type: 'null' }] },
  },
  required: ['shape'],
  $defs: {
    Hive: {
      type: 'object',
      properties: { code: { type: 'string' }, kg: { type: 'number' } },
      required: ['code', 'kg'],
      additionalProperties: false,
    },
  },
}
const rect = { kind: 'rect', w: 1, h: 2 }

test.each<[object, RegExp]>([
  [{ shape: { kind: 'rect', w: 1 } }, /^- shape: kind is "rect": h is missing$/m],
  [{ shape: { kind: 'round', r: 'wide' } }, /^- shape: kind is "round": r: expected a number$/m],
  [{ shape: { kind: 'oval' } }, /^- shape: kind is "oval"; it must be one of "rect", "round"$/m],
  [{ shape: { w: 1, h: 2 } }, /^- shape: kind is missing; it must be one of "rect", "round"$/m],
  [
    { shape: rect, by: { code: 'ML', kilos: 4 } },
    /^- by: closest to an object with code, kg: kg is missing, there is no kilos$/m,
  ],
  [{ shape: rect, by: 7 }, /^- by: received 7; expected a string, or a value, or a null$/m],
  [{ shape: 'rect' }, /^- shape: received "rect"; expected an object with kind, w, h, or an object with kind, r$/m],
])('a value that matches no branch of a union gets one line with what it lacks', async (value, line) => {
  const validate = await compilingValidator.prepare(shape)
  const text = explainIssues('draw', shape, value, validate(value))
  expect(text).toMatch(line)
  expect(text.split('\n')).toHaveLength(3)
})
