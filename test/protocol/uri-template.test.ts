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
    none: [],
    percent: '50% [a]%2F',
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
    ['{undef,var}', 'value'],
    ['{?undef}', ''],
    ['{none}x{?none*}', 'x'],
    ['{var:10}', 'value'],
    ['{+percent}', '50%25%20[a]%2F'],
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
    ['x://s{?q}', 'x://s?q', { q: '' }],
    ['x://s{?q}', 'x://s?q=a=b', { q: 'a=b' }],
    ['x://s{?q}', 'x://s?q=1&q=1', { q: '1' }],
    ['x://s{?q}', 'x://s?q=1&q=2', undefined],
    ['x://s{?q}', 'x://s?q=1#top', undefined],
    ['x://s{?q}', 'x://s?', {}],
    ['x://s{?q}/end', 'x://s/end', {}],
    ['x://{a}/{a}', 'x://1/1', { a: '1' }],
    ['x://{a}/{a}', 'x://1/2', undefined],
    ['x://{a,b}', 'x://1', { a: '1' }],
    ['x://{a,b}', 'x://1,2,3', undefined],
    ['x://{a}', 'x://1,2', { a: '1,2' }],
    ['x:/{/a}', 'x://y/z', undefined],
    ['x:/{/a*}', 'x://y/z', { a: 'y/z' }],
    ['x:/{/a,b}', 'x://y/z', { a: 'y', b: 'z' }],
    ['x:/{/a,b}', 'x://y/z/w', undefined],
    ['x:/{/a}', 'x:/', {}],
    ['x:/{/a}', 'x://', undefined],
    ['x:/{/a}', 'x://y?z', undefined],
    ['x://s{#part}', 'x://s#a/b', { part: 'a/b' }],
    ['x://s{#part}', 'x://s', {}],
    ['x://s{.ext}', 'x://s.json', { ext: 'json' }],
    ['x://s{.ext}', 'x://sjson', undefined],
    ['x://{a}{.ext}', 'x://a.b.json', { a: 'a', ext: 'b.json' }],
    ['x://{+path}/end', 'x://a/end/b/end', { path: 'a/end/b' }],
    ['x://{+path}', 'x://a\nb', undefined],
    ['x://{a}-{b}', 'x://1-2-3', { a: '1', b: '2-3' }],
    ['x://{a}bb', 'x://bb', undefined],
    ['x://{a}bb', 'x://bbb', { a: 'b' }],
    ['{a}://x', 'y://x', { a: 'y' }],
    ['{a}', '', undefined],
    ['{?a}', '', {}],
    ['x://{a}{b}', 'x://🐝', undefined],
    ['x://{a}{b}', 'x://🐝1', { a: '🐝', b: '1' }],
    ['x://{+a}', `x://${'y'.repeat(8188)}`, { a: 'y'.repeat(8188) }],
    ['x://{+a}', `x://${'y'.repeat(8189)}`, undefined],
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
