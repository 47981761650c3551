import { withoutSlowPatterns } from '../../src/kit/pattern.js'
import { questionFor, questionSchema, withDefaults } from '../../src/kit/question.js'
import { findRevision } from '../../src/protocol/revisions.js'

describe('a form for a person', () => {
  const fieldOf = (field: object) =>
    questionSchema({ type: 'object', properties: { field } } as never, 'move_hive').properties as object

  test('has titled choices, and a default makes a field optional', () => {
    const site = { oneOf: [{ const: 'ML', title: 'Marsh Lane' }, { const: 'QF' }], default: 'ML' }
    const schema = { type: 'object', properties: { site, kg: { type: 'number' } }, required: ['site', 'kg'] }
    expect(questionSchema(schema as never, 'move_hive')).toStrictEqual({
      type: 'object',
      properties: {
        site: {
          type: 'string',
          oneOf: [
            { const: 'ML', title: 'Marsh Lane' },
            { const: 'QF', title: 'QF' },
          ],
          default: 'ML',
        },
        kg: { type: 'number' },
      },
      required: ['kg'],
    })
  })

  test.each<[object, object]>([
    [{ const: 'ML' }, { type: 'string', enum: ['ML'] }],
    [{ anyOf: [{ const: 'ML' }] }, { type: 'string', oneOf: [{ const: 'ML', title: 'ML' }] }],
    [
      { type: 'string', format: 'date', pattern: '^2', minLength: 2, title: 'Day' },
      { type: 'string', title: 'Day', minLength: 2, format: 'date' },
    ],
    [
      { type: 'string', format: 'iban', pattern: '^ML' },
      { type: 'string', pattern: '^ML' },
    ],
    [
      { type: 'integer', minimum: 0, multipleOf: 2 },
      { type: 'integer', minimum: 0 },
    ],
    [
      { type: 'boolean', default: true },
      { type: 'boolean', default: true },
    ],
    [
      { type: 'array', items: { enum: ['a', 'b'] }, minItems: 1, uniqueItems: true },
      { type: 'array', minItems: 1, items: { type: 'string', enum: ['a', 'b'] } },
    ],
    [
      { type: 'array', items: { oneOf: [{ const: 'a', title: 'A' }] } },
      { type: 'array', items: { anyOf: [{ const: 'a', title: 'A' }] } },
    ],
    [
      { type: 'array', items: { anyOf: [{ const: 'a' }] } },
      { type: 'array', items: { anyOf: [{ const: 'a', title: 'a' }] } },
    ],
  ])('shows %j as %j', (given, field) => {
    expect(fieldOf(given)).toStrictEqual({ field })
  })

  test('has no choices, no lists and fewer defaults for older revisions', () => {
    const form = (field: object) => ({ type: 'object', properties: { field } })
    const older = (field: object, revision: string) =>
      questionFor(findRevision(revision) as never, form(field), 'move_hive').properties
    const titled = { type: 'string', oneOf: [{ const: 'ML', title: 'Marsh Lane' }], default: 'ML' }
    expect(older(titled, '2025-11-25')).toStrictEqual({ field: titled })
    expect(older(titled, '2025-06-18')).toStrictEqual({
      field: { type: 'string', enum: ['ML'], enumNames: ['Marsh Lane'] },
    })
    const flag = { type: 'boolean', default: false }
    expect(older(flag, '2025-06-18')).toStrictEqual({ field: flag })
    expect(older({ type: 'boolean' }, '2025-06-18')).toStrictEqual({ field: { type: 'boolean' } })
    expect(older({ type: 'string', default: 'x' }, '2025-06-18')).toStrictEqual({ field: { type: 'string' } })
    expect(() => older({ type: 'array', items: {} }, '2025-06-18')).toThrow(/2025-06-18.*"field"/)
  })

  test('is completed with the defaults of omitted fields', () => {
    const schema = { properties: { a: { default: 1 }, b: { default: 2 }, c: {}, d: true } }
    expect(withDefaults(schema, { b: 3 })).toStrictEqual({ a: 1, b: 3 })
    expect(withDefaults({}, { b: 3 })).toStrictEqual({ b: 3 })
  })

  test.each([
    ['a field without a schema', true],
    ['an array without items', { type: 'array' }],
    ['items without a type', { items: { enum: ['a'] } }],
    ['choices of which one is not a constant', { oneOf: [{ const: 'ML' }, { type: 'string' }] }],
    ['choices that are not all texts', { enum: ['ML', 4] }],
    ['a list of objects', { type: 'array', items: { type: 'object' } }],
    ['an object', { type: 'object' }],
  ])('cannot hold %s', (_what, field) => {
    expect(() => fieldOf(field as object)).toThrow(/the field "field" cannot be part of a form/)
  })
})

test('a schema for a page keeps simple patterns only, at any depth', () => {
  const slow = '^(a+)+$'
  const given = {
    $async: true,
    properties: { one: { pattern: '^ML' }, other: { pattern: slow }, pattern: { type: 'string' } },
    patternProperties: { '^x-': { pattern: slow }, [slow]: {} },
    not: { patternProperties: null },
  }
  expect(withoutSlowPatterns(given)).toStrictEqual({
    properties: { one: { pattern: '^ML' }, other: {}, pattern: { type: 'string' } },
    patternProperties: { '^x-': {} },
    not: { patternProperties: null },
  })
})
