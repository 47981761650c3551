import fc from 'fast-check'
import { parseUriTemplate } from '../../src/protocol/uri-template.js'

describe('a URI template', () => {
  const values = {
    var: 'value',
    hello: 'Hello World!',
    path: '/foo/bar',
    list: ['red', 'green'],
    keys: { semi: ';', dot: '.' },
    empty: '',
  }
  test.each([
    ['{var}', 'value'],
    ['{hello}', 'Hello%20World%21'],
    ['{+path}/here', '/foo/bar/here'],
    ['{#path}', '#/foo/bar'],
    ['{.var}', '.value'],
    ['{/var,hello}', '/value/Hello%20World%21'],
    ['{;var,empty}', ';var=value;empty'],
    ['{?var,empty}', '?var=value&empty='],
    ['{&var}', '&var=value'],
    ['{list}', 'red,green'],
    ['{/list*}', '/red/green'],
    ['{?list*}', '?list=red&list=green'],
    ['{keys*}', 'semi=%3B,dot=.'],
    ['{?keys}', '?keys=semi,%3B,dot,.'],
    ['{var:3}', 'val'],
    ['{undef}x', 'x'],
  ])('%s expands to %s', (source, uri) => {
    expect(parseUriTemplate(source).expand(values)).toBe(uri)
  })

  test.each([
    ['apiary://hives/{hive}', 'apiary://hives/ML-04', { hive: 'ML-04' }],
    ['apiary://hives/{hive}', 'apiary://hives/a%2Fb', { hive: 'a/b' }],
    ['apiary://hives/{hive}', 'apiary://hives/a/b', undefined],
    ['apiary://hives/{hive}', 'apiary://hives/', undefined],
    ['apiary://hives/{hive}', 'apiary://hives/%zz', undefined],
    ['files:///{+path}', 'files:///a/b.txt', { path: 'a/b.txt' }],
    ['x://{a}-{b}', 'x://1-2', { a: '1', b: '2' }],
    ['x://s{?q,page}', 'x://s?q=bees&page=2', { q: 'bees', page: '2' }],
    ['x://s{?q,page}', 'x://s', {}],
    ['x://s{?q}', 'x://s?other=1', undefined],
    ['x://{a,b}', 'x://1,2', { a: '1', b: '2' }],
    ['x:/{/a}', 'x://y', { a: 'y' }],
    ['x.y://{v}', 'xzy://1', undefined],
  ])('%s matched on %s gives %j', (source, uri, variables) => {
    expect(parseUriTemplate(source).match(uri)).toStrictEqual(variables)
  })

  test.each(['x://{', 'x://}', 'x://{}', 'x://{a b}', 'x://{a:0}'])('%s is refused in one sentence', (source) => {
    expect(() => parseUriTemplate(source)).toThrow(/cannot be read .*; follow RFC 6570/)
  })

  test('an expanded URI matches again', () => {
    const text = (minLength: number) => fc.string({ unit: 'grapheme', minLength })
    const parsed = parseUriTemplate('apiary://{site}/{hive}{?note}')
    fc.assert(
      fc.property(text(1), text(1), text(0), (site, hive, note) => {
        expect(parsed.match(parsed.expand({ site, hive, note }))).toStrictEqual({ site, hive, note })
      }),
    )
  })
})
