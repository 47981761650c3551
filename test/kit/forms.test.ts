import { withoutSlowPatterns } from '../../src/kit/pattern.js'
import { questionSchema } from '../../src/kit/question.js'

describe('a form for a person', () => {
  const fieldOf = (field: object) =>
    questionSchema({ type: 'object', properties: { field } } as never, 'move_hive').properties as object

  test('has titled choices, and a default makes a field optional', () => {
    const site = { oneOf: [{ const: 'ML', title: 'Marsh Lane' }, { const: 'QF' }], default: 'ML' }
    const schema = { type: 'object', properties: { site, kg: { type: 'number' } }, required: ['site', 'kg'] }
    expect(questionSchema(schema as never, 'move_hive')).toEqual({
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

  test.each([
    ['choices of which one is not a constant', { oneOf: [{ const: 'ML' }, { type: 'string' }] }],
    ['choices that are not all texts', { enum: ['ML', 4] }],
    ['a list of objects', { type: 'array', items: { type: 'object' } }],
    ['an object', { type: 'object' }],
  ])('cannot hold %s', (_what, field) => {
    expect(() => fieldOf(field)).toThrow(/field/)
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
  expect(withoutSlowPatterns(given)).toEqual({
    properties: { one: { pattern: '^ML' }, other: {}, pattern: { type: 'string' } },
    patternProperties: { '^x-': {} },
    not: { patternProperties: null },
  })
})
