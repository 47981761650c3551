import { needsLinearEngine, patternMakerFor, withoutSlowPatterns } from '../../src/kit/pattern.js'

describe('a pattern that could take long runs on the second engine', () => {
  test.each<[string, boolean]>([
    ['^ML-\\d\\d$', false],
    ['abc', false],
    ['^a+$', false],
    ['a+', true],
    ['^a+b+$', true],
    ['^a*|b*$', true],
    ['^a+?$', false],
    ['(ab)', false],
    ['(ab)+', true],
    ['(ab)?', true],
    ['(?:ab)c', false],
    ['(?=a)', true],
    ['(?<!a)b', true],
    ['(?<name>a)', true],
    ['(a)\\1', true],
    ['\\d\\s', false],
    ['[a+*?]', false],
    ['[a\\]+]b', false],
    ['\\+a', false],
    ['^[a-z]{1,200}$', false],
    ['^[a-z]{0,200}$', true],
    ['[a-z]{1,20}', false],
    ['[a-z]{0,20}', true],
    ['[a-z]{3}', false],
    ['^[a-z]{3,}$', false],
    ['[a-z]{3,}', true],
    ['a?b?c?d?', false],
    ['a?b?c?d?e?', true],
    ['a{x}', false],
    ['a'.repeat(1000), false],
    ['a'.repeat(1001), true],
  ])('%.30s: %s', (pattern, expected) => {
    expect(needsLinearEngine({ properties: { a: { pattern } } })).toBe(expected)
    expect(needsLinearEngine({ patternProperties: { [pattern]: {} } })).toBe(expected)
    expect(withoutSlowPatterns({ pattern, patternProperties: { [pattern]: {} } })).toStrictEqual(
      expected ? { patternProperties: {} } : { pattern, patternProperties: { [pattern]: {} } },
    )
  })

  test('values that are not patterns are left alone', () => {
    const odd = { pattern: 5, patternProperties: null, properties: { pattern: { type: 'string' } } }
    expect(needsLinearEngine(odd as never)).toBe(false)
    expect(withoutSlowPatterns({ ...odd, $async: true })).toStrictEqual(odd)
  })

  test.each<[pattern: string, matches: string[], others: string[]]>([
    ['(ab)+c', ['ababc'], ['ac']],
    ['^a+b+$', ['aabb'], ['ba']],
    ['^(?!x)\\w', ['a'], ['x']],
    ['^(a)\\1$', ['aa'], ['ab', `a${'a'.repeat(300)}`]],
    ['(?<=^|,)a', ['a', 'b,a', `${'b'.repeat(254)},a`], ['ba', `${'b'.repeat(255)},a`]],
    // Not checked: a repetition within a repetition, with a back-reference.
    ['^((a+)b)+\\1$', ['x'], []],
    ['^((a?)b)+\\1$', ['abab'], ['x']],
    ['^((a{2})b)+\\1$', ['x'], []],
    ['^(?:(a+)\\1)?$', ['aa', ''], ['a']],
  ])('%s matches as in JavaScript', async (pattern, matches, others) => {
    const make = await patternMakerFor({ allOf: [{ pattern: 'abc' }, { pattern }] })
    for (const text of matches) expect([text, make(pattern)(text)]).toStrictEqual([text, true])
    for (const text of others) expect([text, make(pattern)(text)]).toStrictEqual([text, false])
    expect(make('abc')('xabcx')).toBe(true)
  })
})
