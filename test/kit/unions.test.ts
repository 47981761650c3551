import { annotationsOf, type Effect, effectOf, effects } from '../../src/kit/effects.js'
import { boundedFormat } from '../../src/kit/formats.js'
import { hostName } from '../../src/kit/host-name.js'
import { branchesOf, lackOfClosest } from '../../src/kit/union-issues.js'

const text = { type: 'string' }
const hive = { type: 'object', properties: { code: text, kg: { type: 'integer' } }, required: ['code'] }
const site = { type: 'object', properties: { site: text }, required: ['site'], additionalProperties: false }
const kinds = (a: object, b: object) => ({
  anyOf: [
    { type: 'object', properties: { x: text, kind: a, w: { type: 'number' } }, required: ['kind', 'w'] },
    { type: 'object', properties: { x: text, kind: b } },
  ],
})
const many = Object.fromEntries(['a', 'b', 'c', 'd', 'e', 'f'].map((name) => [name, text]))
const four = { type: 'object', properties: many, required: ['a', 'b', 'c', 'd'] }
const six = { type: 'object', properties: many, required: Object.keys(many) }
const deep = (levels: number, inner: object): object =>
  levels === 0 ? inner : { type: 'object', properties: { n: deep(levels - 1, inner) } }
const value = (levels: number, inner: unknown): unknown => (levels === 0 ? inner : { n: value(levels - 1, inner) })

describe('the mismatch with the closest branch', () => {
  test.each<[string, object, unknown, string | undefined]>([
    ['a missing property', { oneOf: [hive, site] }, { kg: 1 }, 'closest to an object with code: code is missing'],
    [
      'an unknown property',
      { anyOf: [hive, site] },
      { site: 'x', other: 1 },
      'closest to an object with code: code is missing',
    ],
    [
      'an unknown property of the closer branch',
      { anyOf: [{ ...hive, required: ['code', 'kg', 'y'] }, site] },
      { site: 'x', other: 1 },
      'closest to an object with site: there is no other',
    ],
    [
      'a property of a wrong type',
      { anyOf: [hive, { ...site, required: ['site', 'a', 'b', 'c', 'd', 'e', 'f', 'g', 'h', 'i', 'j', 'k'] }] },
      { code: 5 },
      'closest to an object with code: code: expected a string',
    ],
    ['a value of another type', { anyOf: [hive, site] }, 5, undefined],
    ['a list for an object', { anyOf: [hive, site] }, [], undefined],
    ['a value that fits a branch', { anyOf: [hive, site] }, { code: 'x' }, undefined],
    ['no union', hive, {}, undefined],
    ['one branch and null', { anyOf: [hive, { type: 'null' }] }, {}, undefined],
    ['a branch of several types', { anyOf: [{ type: ['string', 'null'] }, hive] }, null, undefined],
    ['a constant', { anyOf: [{ const: 'a' }, hive] }, 'b', 'closest to "a": expected "a"'],
    [
      'a choice',
      { anyOf: [{ type: 'string', enum: ['a', 'b'] }, hive] },
      'c',
      'closest to one of "a", "b": expected one of "a", "b"',
    ],
    ['a whole number', { anyOf: [{ type: 'integer' }, { type: 'array' }] }, 1.5, undefined],
    [
      'an integer in a property',
      { anyOf: [hive, { type: 'array' }] },
      { code: 'x', kg: 1.5 },
      'closest to an object with code: kg: expected an integer',
    ],
    [
      'a list in a property',
      { anyOf: [{ type: 'object', properties: { a: { type: 'array' }, b: { type: 'null' } } }, text] },
      { a: {}, b: 0 },
      'closest to an object: a: expected an array, b: expected a null',
    ],
    [
      'values of a list, an object and null',
      {
        anyOf: [
          {
            type: 'object',
            properties: { a: { type: 'array' }, b: { type: 'null' }, c: { type: 'object' } },
            required: ['d'],
          },
          text,
        ],
      },
      { a: [], b: null, c: {} },
      'closest to an object with d: d is missing',
    ],
    [
      'four mismatches',
      { anyOf: [four, text] },
      {},
      `closest to an object with a, b, c, d: ${['a', 'b', 'c', 'd'].map((name) => `${name} is missing`).join(', ')}`,
    ],
    [
      'six mismatches',
      { anyOf: [six, text] },
      {},
      'closest to an object with a, b, c, d, e, f: a is missing, b is missing, c is missing, d is missing and 2 more',
    ],
    [
      'three levels',
      { anyOf: [deep(3, text), text] },
      value(3, 5),
      'closest to an object: n: n: n: expected a string',
    ],
    ['four levels', { anyOf: [deep(4, text), text] }, value(4, 5), undefined],
    ['a known kind', kinds({ const: 'a' }, { const: 'b' }), { kind: 'a' }, 'kind is "a": w is missing'],
    ['a known kind that fits', kinds({ const: 'a' }, { const: 'b' }), { kind: 'b' }, undefined],
    [
      'a kind of one choice',
      kinds({ enum: ['a'] }, { const: 'b' }),
      { kind: 'c' },
      'kind is "c"; it must be one of "a", "b"',
    ],
    [
      'a kind of two choices',
      kinds({ enum: ['a', 'c'] }, { const: 'b' }),
      { kind: 'c' },
      'closest to an object with kind, w: w is missing',
    ],
    ['no kind', kinds({ const: 'a' }, { const: 'b' }), {}, 'kind is missing; it must be one of "a", "b"'],
    [
      'a kind of 58 characters',
      kinds({ const: 'a' }, { const: 'b' }),
      { kind: 'k'.repeat(58) },
      `kind is "${'k'.repeat(58)}"; it must be one of "a", "b"`,
    ],
    [
      'a kind of 59 characters',
      kinds({ const: 'a' }, { const: 'b' }),
      { kind: 'k'.repeat(59) },
      `kind is "${'k'.repeat(56)}…; it must be one of "a", "b"`,
    ],
  ])('%s', (_what, schema, given, expected) => {
    expect(lackOfClosest(schema as never, given, schema as never)).toBe(expected)
  })

  test('null is not a branch', () => {
    expect(branchesOf({ anyOf: [text, { type: 'null' }, hive] })).toStrictEqual([text, hive])
    expect(branchesOf({ anyOf: [text, { type: 'null' }] })).toBeUndefined()
    expect(branchesOf({ anyOf: 5 } as never)).toBeUndefined()
  })
})

test.each<[object | undefined, Effect]>([
  [undefined, 'change'],
  [{}, 'change'],
  [{ readOnlyHint: true }, 'read'],
  [{ readOnlyHint: true, destructiveHint: true }, 'read'],
  [{ destructiveHint: false }, 'add'],
  [{ destructiveHint: true }, 'change'],
  [{ idempotentHint: true }, 'change'],
  [{ destructiveHint: true, idempotentHint: true }, 'remove'],
])('the hints %j mean %s', (hints, effect) => {
  expect(effectOf(hints)).toBe(effect)
})

test('the hints of an effect mean that effect', () => {
  expect(effects.map((effect) => effectOf(annotationsOf(effect)))).toStrictEqual(effects)
})

test.each([
  ['my hives.v2', 'my_hives_v2'],
  ['', 'server'],
  ['a'.repeat(61), 'a'.repeat(60)],
])('hosts know %.20s as %.20s', (name, expected) => {
  expect(hostName(name)).toBe(expected)
})

test.each<[string, string, boolean]>([
  ['date', 'x'.repeat(1024), true],
  ['date', 'x'.repeat(1025), false],
  ['uri', 'x'.repeat(8192), true],
  ['uri', 'x'.repeat(8193), false],
  ['url', 'https://hives.example/a', true],
  ['url', 'HTTP://hives.example', true],
  ['url', 'mailto:keeper@hives.example', false],
  ['url', 'http://[', false],
  ['url', 'hives', false],
])('a text as %s: %.30s is %s', (name, given, expected) => {
  expect(boundedFormat(name, () => true)(given)).toBe(expected)
})

test('a text that does not match is refused at any length', () => {
  expect(boundedFormat('date', () => false)('x')).toBe(false)
})
