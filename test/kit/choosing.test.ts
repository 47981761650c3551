import { except, only, override, prompt, rename, resource, tool, withPrefix, withTags } from 'jexo'
import { branded, hasBrand, nameOf } from '../../src/kit/brand.js'
import { matcherOf, namesIn, narrowed } from '../../src/kit/choose.js'
import { closestTo } from '../../src/kit/closest.js'
import { globMatcher } from '../../src/kit/glob.js'
import { numbersOf } from '../../src/kit/numbers.js'
import { keyOf, type Part } from '../../src/kit/part.js'
import { hasDuplicates } from '../../src/kit/unique.js'

const parts: Part[] = [
  tool('weigh_hive', { about: 'x', effect: 'read', tags: ['scale', 'hive'], run: () => 1 }),
  tool('tare_hive', { about: 'x', effect: 'change', tags: ['scale'], run: () => 1 }),
  tool('list_sites', { about: 'x', effect: 'read', run: () => 1 }),
  prompt('site_letter', { about: 'x', run: () => 'x' }),
  resource('hives://all', { name: 'all', about: 'x', mimeType: 'text/plain', read: () => 'x' }),
]
const keys = (chosen: readonly Part[]) => chosen.map(keyOf)

describe('choosing parts', () => {
  test.each<[string[], string[]]>([
    [['weigh_hive'], ['weigh_hive']],
    [['*_hive'], ['weigh_hive', 'tare_hive']],
    [['tag:hive'], ['weigh_hive']],
    [['tag:sc*'], ['weigh_hive', 'tare_hive']],
    [
      ['tag:scale', 'list_*'],
      ['weigh_hive', 'tare_hive', 'list_sites'],
    ],
    [['hives://*'], ['hives://all']],
    [['nothing'], []],
    [['tag:*e'], ['weigh_hive', 'tare_hive']],
    [['tag:hive', 'tag:hive'], ['weigh_hive']],
    [['*'], ['weigh_hive', 'tare_hive', 'list_sites', 'site_letter', 'hives://all']],
  ])('%j chooses %j', (names, expected) => {
    expect(keys(narrowed(parts, names))).toStrictEqual(expected)
    if (expected.length === 0) expect(() => only(parts, names)).toThrow(/nothing/)
    else {
      expect(keys(only(parts, names))).toStrictEqual(expected)
      expect(keys(except(parts, names))).toStrictEqual(keys(parts).filter((key) => !expected.includes(key)))
    }
  })

  test('a path chooses as well, with and without a star', () => {
    const item = { key: 'get_hive', others: ['/hives/{code}', '/hives'] }
    expect(matcherOf('/hives')(item)).toBe(true)
    expect(matcherOf('/hive')(item)).toBe(false)
    expect(matcherOf('/hives/*')(item)).toBe(true)
    expect(matcherOf('/sites/*')(item)).toBe(false)
    expect(matcherOf('tag:hives')(item)).toBe(false)
  })

  test('tags choose only parts that have them', () => {
    expect(keys(withTags(parts, 'hive', 'none'))).toStrictEqual(['weigh_hive'])
  })

  test('names of an option are separated by commas and trimmed', () => {
    expect(namesIn(' weigh_*, ,tag:ledger ')).toStrictEqual(['weigh_*', 'tag:ledger'])
  })

  test('only tools and prompts are renamed', () => {
    expect(keys(withPrefix(parts, 'a_'))).toStrictEqual([
      ...['a_weigh_hive', 'a_tare_hive', 'a_list_sites', 'a_site_letter', 'hives://all'],
    ])
    expect(keys(rename(parts, { weigh_hive: 'weigh', site_letter: 'letter' }))).toStrictEqual([
      ...['weigh', 'tare_hive', 'list_sites', 'letter', 'hives://all'],
    ])
  })

  test('an overridden effect replaces the hints of a wrapped server, and other fields keep them', () => {
    const hints = { readOnlyHint: true, openWorldHint: true }
    const wrapped = [{ ...parts[0], hints } as Part, ...parts.slice(1)]
    const changed = (change: object) => override(wrapped, { weigh_hive: change })
    expect(changed({ effect: 'change' })[0]).toMatchObject({
      hints: { readOnlyHint: false, openWorldHint: true },
    })
    expect(changed({ about: 'Other' })[0]).toMatchObject({ about: 'Other', hints })
    expect(changed({ about: 'Other' })[1]).toBe(wrapped[1])
    expect(override(parts, { weigh_hive: { effect: 'change' } })[0]).not.toHaveProperty('hints')
  })
})

test.each<[string, string, boolean]>([
  ['weigh', 'weigh', true],
  ['weigh', 'weigh_hive', false],
  ['*', '', true],
  ['a*', 'a', true],
  ['a*a', 'a', false],
  ['a*a', 'aa', true],
  ['ab*ba', 'aba', false],
  ['*b', 'ab', true],
  ['*b', 'ba', false],
  ['*b*', 'abc', true],
  ['*b*', 'bac', true],
  ['*b*', 'ac', false],
  ['a*b*c', 'axbyc', true],
  ['a*b*c', 'abc', true],
  ['a*b*c', 'acb', false],
  ['a*bc*c', 'abc', false],
  ['a*b*b*c', 'abc', false],
  ['a*b*b*c', 'abbc', true],
  ['a**c', 'ac', true],
  ['a'.repeat(500), 'a'.repeat(500), true],
  ['a'.repeat(501), 'a'.repeat(501), false],
])('the glob %.20s and the name %.20s: %s', (glob, name, expected) => {
  expect(globMatcher(glob)(name)).toBe(expected)
})

test.each<[unknown[], boolean]>([
  [[], false],
  [[1, 2], false],
  [[1, 1], true],
  [[1, '1'], false],
  [['a', 'a'], true],
  [['null', null], false],
  [[null, null], true],
  [
    [
      { a: 1, b: 2 },
      { b: 2, a: 1 },
    ],
    true,
  ],
  [[{ a: 1 }, { a: 2 }], false],
  [[{ a: [1, { b: 2 }] }, { a: [1, { b: 2 }] }], true],
  [[{ a: [1, { b: 2 }] }, { a: [1, { b: 3 }] }], false],
  [[[1, 2], '[1,2]'], false],
  [[[1, 2], { 0: 1, 1: 2 }], false],
  [[{ a: null }, { a: {} }], false],
  [[{ a: 'b' }, { a: '"b"' }], false],
])('%j holds an item twice: %s', (items, expected) => {
  expect(hasDuplicates(items)).toBe(expected)
})

describe('numbers from the environment', () => {
  const variables = { JEXO_TIMEOUT_MS: 'timeoutMs', JEXO_GRACE_MS: 'graceMs' } as const

  test.each<[Record<string, string>, object]>([
    [{}, {}],
    [{ JEXO_TIMEOUT_MS: '' }, {}],
    [{ JEXO_TIMEOUT_MS: '5000' }, { timeoutMs: 5000 }],
    [{ JEXO_GRACE_MS: '0' }, { graceMs: 0 }],
  ])('%j is read as %j', (environment, expected) => {
    expect(numbersOf(environment, variables)).toStrictEqual(expected)
  })

  test.each(['0', '-1', '1.5', 'x', '1'.repeat(13)])('%s is refused', (text) => {
    expect(() => numbersOf({ JEXO_TIMEOUT_MS: text }, variables)).toThrow(/JEXO_TIMEOUT_MS/)
  })
})

test.each<[string, string[], string[]]>([
  ['hive', ['hives', 'hives', 'hive_list'], ['hive_list', 'hives']],
  ['get_hive', ['get_hives', 'set_hive', 'list_sites', 'hive', 'get_hive_2'], ['get_hive_2', 'get_hives', 'hive']],
  ['ab', ['abc', 'xyz', 'ba'], ['abc']],
  ['ab', ['abcdefgh'], []],
  ['abc', ['abcdefgh'], ['abcdefgh']],
  ['x', ['y', 'xyz'], ['y']],
  ['HIVE', ['hive'], ['hive']],
  ['weight', ['weigh_hive'], []],
])('names close to %s', (name, known, expected) => {
  expect(closestTo(name, known)).toStrictEqual(expected)
})

test.each<[unknown, string]>([
  [undefined, 'undefined'],
  [null, 'null'],
  [[], 'an array'],
  [{}, 'an object'],
  [5, 'a number'],
  ['x', 'a string'],
])('%j is called %s in errors', (value, expected) => {
  expect(nameOf(value)).toBe(expected)
})

test('a mark is invisible and kept by frozen values, also of functions', () => {
  const brand = Symbol('brand')
  const value = branded({ a: 1 }, brand)
  expect(hasBrand(value, brand)).toBe(true)
  expect((value as Record<symbol, unknown>)[brand]).toBe(true)
  expect((branded({}, brand, 'x') as Record<symbol, unknown>)[brand]).toBe('x')
  expect(Object.keys({ ...value })).toStrictEqual(['a'])
  expect(hasBrand({ ...value }, brand)).toBe(false)
  expect(
    hasBrand(
      branded(() => 1, brand),
      brand,
    ),
  ).toBe(true)
  for (const other of [null, undefined, 'x', 5]) expect(hasBrand(other, brand)).toBe(false)
})
