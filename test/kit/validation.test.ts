import { compilingValidator } from '../../src/kit/compiling-validator.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { describeSchema } from '../../src/kit/schema.js'

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
    expect([...new Set(check(value).map(({ path }) => path.join('.')))]).toEqual(issues)
  })

  test('follows the older dialect that a schema names', async () => {
    const older = {
      $schema: 'http://json-schema.org/draft-07/schema#',
      type: 'object',
      properties: { a: { items: [{ type: 'string' }] } },
    }
    const check = await validator.prepare(older)
    expect(check({ a: ['x', 5] })).toEqual([])
    expect(check({ a: [5] })).not.toEqual([])
  })

  test('keeps two schemas of one $id apart', async () => {
    const [first, second] = await Promise.all([
      validator.prepare({ $id: 'x:same', type: 'object', required: ['a'] }),
      validator.prepare({ $id: 'x:same', type: 'object', required: ['b'] }),
    ])
    expect(first({ a: 1 })).toEqual([])
    expect(second({ a: 1 })).not.toEqual([])
  })
})

test.each([
  [{ type: 'string', pattern: '^ML-\\d\\d$' }, 'a string, matching ^ML-\\d\\d$'],
  [{ type: 'integer', minimum: 1, maximum: 5 }, 'an integer, at least 1, at most 5'],
  [{ enum: ['a', 'b'] }, 'one of "a", "b"'],
  [{ const: 3 }, '3'],
  [{ anyOf: [{ type: 'string' }, { type: 'null' }] }, 'a string, or a null'],
  [{ type: ['string', 'null'] }, 'a string or null'],
])('%j is described as %s', (given, words) => {
  expect(describeSchema(given)).toBe(words)
})
