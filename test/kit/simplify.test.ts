import { Ajv2020 } from 'ajv/dist/2020.js'
import fc from 'fast-check'
import { simplifySchema } from 'jexo/module'

const nested = (levels: number, inner: object): object =>
  levels === 0 ? inner : { type: 'object', properties: { n: nested(levels - 1, inner) } }
const lost = (keyword: string, value: unknown): Row => [
  `the keyword ${keyword}`,
  within({ type: 'object', [keyword]: value }),
  within({ type: 'object' }),
  [`properties.a: "${keyword}"`],
]

type Row = [what: string, full: Record<string, unknown>, simple: Record<string, unknown>, losses: string[]]
const within = (a: object) => ({ type: 'object', properties: { a } })

const rows: Row[] = [
  [
    'what is simple already',
    within({ type: 'string', minLength: 1 }),
    within({ type: 'string', minLength: 1 }),
    [],
  ],
  [
    'a reference',
    { ...within({ $ref: '#/$defs/A', description: 'x' }), $defs: { A: { type: 'number' } } },
    within({ type: 'number', description: 'x' }),
    [],
  ],
  [
    'a type that contains itself',
    {
      ...within({ $ref: '#/$defs/N' }),
      $defs: { N: { type: 'object', properties: { next: { $ref: '#/$defs/N' } } } },
    },
    within({ type: 'object', properties: { next: { type: 'object' } } }),
    ['properties.a.properties.next: the recursion of N'],
  ],
  [
    'a tuple',
    within({ type: 'array', prefixItems: [{ type: 'string' }, { type: 'number' }], items: false, minItems: 2 }),
    within({ type: 'array', minItems: 2, items: { anyOf: [{ type: 'string' }, { type: 'number' }] } }),
    ['properties.a: the type of each item of the tuple'],
  ],
  [
    'several types',
    within({ type: ['string', 'null'] }),
    within({ type: 'string' }),
    ['properties.a: null as a value'],
  ],
  [
    'labels of choices',
    within({
      oneOf: [
        { const: 0, title: 'Calm' },
        { const: 1, title: 'Wild' },
      ],
    }),
    within({ type: 'number', enum: [0, 1], description: '0: Calm, 1: Wild' }),
    [],
  ],
  ['a constant', within({ const: 'x', type: 'string' }), within({ type: 'string', enum: ['x'] }), []],
  [
    'a pattern with look-around',
    within({ type: 'string', pattern: '^(?!x)' }),
    within({ type: 'string' }),
    ['properties.a: a pattern with look-around'],
  ],
  [
    'an unknown format',
    within({ type: 'string', format: 'iban' }),
    within({ type: 'string' }),
    ['properties.a: the format iban'],
  ],
  [
    'many choices',
    within({ enum: Array.from({ length: 103 }, (_, at) => at) }),
    within({ enum: Array.from({ length: 100 }, (_, at) => at) }),
    ['properties.a: 3 of its choices'],
  ],
  [
    'as many choices as fit',
    within({ enum: Array.from({ length: 100 }, (_, at) => at) }),
    within({ enum: Array.from({ length: 100 }, (_, at) => at) }),
    [],
  ],
  [
    'a union at the root',
    {
      type: 'object',
      anyOf: [
        { type: 'object', properties: { kind: { const: 'a' }, x: { type: 'number' } }, required: ['kind', 'x'] },
        { type: 'object', properties: { kind: { const: 'b' } }, required: ['kind'] },
      ],
    },
    { type: 'object', properties: { kind: { enum: ['a', 'b'] }, x: { type: 'number' } }, required: ['kind'] },
    [': the rules between properties'],
  ],
  [
    'allOf',
    {
      allOf: [
        { type: 'object', properties: { a: { type: 'string' } }, required: ['a'] },
        { properties: { b: { type: 'number' } } },
      ],
    },
    { type: 'object', properties: { a: { type: 'string' }, b: { type: 'number' } }, required: ['a'] },
    [': "allOf", merged into one schema'],
  ],
  [
    'allOf with references and required properties in several members',
    within({
      allOf: [{ $ref: '#/$defs/A' }, { required: ['y', 'x'], description: 'Both.' }, true],
      properties: { z: { type: 'null' } },
    }),
    within({ description: 'Both.', properties: { z: { type: 'null' } }, required: ['y', 'x'] }),
    ['properties.a: "allOf", merged into one schema'],
  ],
  ['a place where everything is allowed', within(true as never), within({}), []],
  [
    'a place where nothing is allowed',
    within(false as never),
    within({}),
    ['properties.a: that no value is allowed'],
  ],
  [
    'three types',
    within({ type: ['string', 'number', 'null'] }),
    within({ type: 'string' }),
    ['properties.a: the further type number'],
  ],
  [
    'a schema for other properties',
    within({
      type: 'object',
      properties: { b: {} },
      required: ['b'],
      additionalProperties: { type: ['string', 'null'] },
    }),
    within({ type: 'object', properties: { b: {} }, required: ['b'], additionalProperties: { type: 'string' } }),
    ['properties.a.additionalProperties: null as a value'],
  ],
  [
    'no other properties',
    within({ type: 'object', additionalProperties: false }),
    within({ type: 'object', additionalProperties: false }),
    [],
  ],
  [
    'a tuple with further items',
    within({ type: 'array', prefixItems: [{ type: 'string' }], items: { type: 'number' } }),
    within({ type: 'array', items: { anyOf: [{ type: 'string' }, { type: 'number' }] } }),
    ['properties.a: the type of each item of the tuple'],
  ],
  [
    'items of a list',
    within({ type: 'array', items: { type: 'string', format: 'iban' } }),
    within({ type: 'array', items: { type: 'string' } }),
    ['properties.a.items: the format iban'],
  ],
  [
    'a known format and a pattern',
    within({ format: 'date', pattern: '^2' }),
    within({ format: 'date', pattern: '^2' }),
    [],
  ],
  lost('not', { type: 'string' }),
  lost('if', { required: ['b'] }),
  lost('dependentSchemas', {}),
  lost('patternProperties', {}),
  lost('propertyNames', {}),
  lost('contains', {}),
  lost('uniqueItems', true),
  [
    'a reference to nothing',
    within({ $ref: '#/$defs/None', description: 'x' }),
    within({ description: 'x' }),
    ['properties.a: the unresolved reference #/$defs/None'],
  ],
  [
    'a reference of an older dialect',
    { ...within({ $ref: '#/definitions/A' }), definitions: { A: { type: 'number' } } },
    within({ type: 'number' }),
    [],
  ],
  [
    'a list type that contains itself, with a description',
    {
      ...within({ $ref: '#/$defs/N' }),
      $defs: { N: { type: ['array', 'null'], items: { $ref: '#/$defs/N', description: 'Below.' } } },
    },
    within({ type: 'array', items: { type: 'array', description: 'Below.' } }),
    ['properties.a.items: the recursion of N', 'properties.a: null as a value'],
  ],
  [
    'a value that may be null',
    within({ description: 'x', anyOf: [{ type: 'string' }, { type: 'null' }] }),
    within({ type: 'string', description: 'x' }),
    ['properties.a: null as a value'],
  ],
  [
    'a union whose branches become equal',
    within({ anyOf: [{ type: 'string', format: 'iban' }, { type: 'string' }, { type: 'number' }] }),
    within({ anyOf: [{ type: 'string' }, { type: 'number' }] }),
    ['properties.a: the format iban'],
  ],
  [
    'choices with and without a title',
    within({ description: 'Mood.', oneOf: [{ const: 'a', title: 'Calm' }, { const: 'b' }] }),
    within({ type: 'string', description: 'Mood. a: Calm', enum: ['a', 'b'] }),
    [],
  ],
  ['choices without titles', within({ oneOf: [{ const: 'a' }] }), within({ type: 'string', enum: ['a'] }), []],
  [
    'a constant and a type',
    within({ oneOf: [{ const: 'a' }, { type: 'number' }] }),
    within({ anyOf: [{ enum: ['a'] }, { type: 'number' }] }),
    [],
  ],
  [
    'a union at the root with properties of several types',
    {
      anyOf: [
        { type: 'object', properties: { a: { type: 'string' }, b: { type: 'string' } } },
        { type: 'object', properties: { a: { type: 'string' }, b: { type: 'number' } } },
        { type: 'object', properties: { b: { type: 'boolean' } }, required: ['b'] },
      ],
    },
    {
      type: 'object',
      properties: {
        a: { type: 'string' },
        b: { anyOf: [{ type: 'string' }, { type: 'number' }, { type: 'boolean' }] },
      },
    },
    [': the rules between properties'],
  ],
  [
    'a root that is no object',
    { type: 'string' },
    { type: 'object', properties: {} },
    [': the rules between properties'],
  ],
  [
    'five levels',
    nested(5, { type: 'string', minLength: 1 }) as never,
    nested(5, { type: 'string', minLength: 1 }) as never,
    [],
  ],
  [
    'six levels',
    nested(6, { type: 'string', minLength: 1, description: 'x' }) as never,
    nested(6, { type: 'string', description: 'x' }) as never,
    [`${Array(6).fill('properties.n').join('.')}: levels deeper than 5`],
  ],
]

test.each(rows)('%s is simplified, and the losses are reported', (_what, full, simple, losses) => {
  const { schema, losses: told } = simplifySchema(full)
  expect(schema).toStrictEqual(simple)
  expect(told.map(({ path, what }) => `${path}: ${what}`)).toStrictEqual(losses)
})

test('every simplified schema has an object at its root, and no references, tuples or type lists', () => {
  const leaf = fc.constantFrom<object>(
    { type: 'string' },
    { type: ['number', 'null'] },
    { $ref: '#/$defs/T' },
    { const: 5 },
    { enum: ['a', null] },
    {},
  )
  const { tree } = fc.letrec<{ tree: object }>((tie) => ({
    tree: fc.oneof(
      { depthSize: 'small' },
      leaf,
      fc.record({ type: fc.constant('object'), properties: fc.dictionary(fc.constantFrom('a', 'b'), tie('tree')) }),
      fc.record({ type: fc.constant('array'), prefixItems: fc.array(tie('tree'), { minLength: 1, maxLength: 3 }) }),
      fc.record({ anyOf: fc.array(tie('tree'), { minLength: 1, maxLength: 3 }) }),
    ),
  }))
  const ajv = new Ajv2020({ strict: false })
  fc.assert(
    fc.property(tree, tree, (root, named) => {
      const { schema } = simplifySchema({ ...root, $defs: { T: named } })
      expect(schema.type).toBe('object')
      expect(ajv.validateSchema(schema)).toBe(true)
      const text = JSON.stringify(schema)
      for (const gone of ['$ref', 'prefixItems', '"type":[', '$defs']) expect(text).not.toContain(gone)
    }),
  )
})

test('a description is cut beyond 1,024 characters only, and the cut is reported', () => {
  const about = (length: number) => simplifySchema(within({ type: 'string', description: 'x'.repeat(length) }))
  expect(about(1024).losses).toStrictEqual([])
  expect(about(1025).losses).toStrictEqual([
    { path: 'properties.a', what: 'the description beyond 1024 characters' },
  ])
})
