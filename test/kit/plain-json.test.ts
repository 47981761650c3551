import { defineKit, tool } from 'jexo'
import { connect } from 'jexo/node'
import { z } from 'zod'
import { plainJson } from '../../src/kit/plain-json.js'

class Hive {
  code = 'ML-01'
  #secret = 1
  weigh() {
    return this.#secret
  }
}
const cycle: Record<string, unknown> = { a: {} }
cycle.a = [cycle]
const shared = { kg: 1 }
const deep = () => {
  let value: unknown = 1
  for (let level = 0; level < 2000; level++) value = [value]
  return value
}

test.each([
  ['plain JSON', { a: [1, 'x', null, true], b: { c: {} } }, { a: [1, 'x', null, true], b: { c: {} } }],
  ['a Map by text', new Map([['ML-01', new Map([['kg', 41]])]]), { 'ML-01': { kg: 41 } }],
  ['a Map by others', new Map([[1, 'a']]), [[1, 'a']]],
  [
    'a Map by text and others',
    new Map<unknown, unknown>([
      ['a', 1],
      [2, 'b'],
    ]),
    [
      ['a', 1],
      [2, 'b'],
    ],
  ],
  ['a Set', { of: new Set([1, new Set(['x'])]) }, { of: [1, ['x']] }],
  ['an Error', { failed: new TypeError('no scale') }, { failed: { name: 'TypeError', message: 'no scale' } }],
  [
    'bytes',
    { raw: new Uint8Array([0, 255, 16]), buffer: Buffer.from('hive') },
    { raw: 'AP8Q', buffer: 'aGl2ZQ==' },
  ],
  ['a view of bytes', new Uint8Array([1, 0, 255, 16]).subarray(1), 'AP8Q'],
  ['other numbers as bytes', new Uint16Array([258]), 'AgE='],
  ['an ArrayBuffer', { raw: new Uint8Array([0, 255, 16]).buffer }, { raw: 'AP8Q' }],
  ['a Date', { at: new Date(0) }, { at: '1970-01-01T00:00:00.000Z' }],
  ['a list of several types', [1, new Date(0), 'x'], [1, '1970-01-01T00:00:00.000Z', 'x']],
  ['a URL', { at: new URL('https://hives.example/a b') }, { at: 'https://hives.example/a%20b' }],
  ['a BigInt', { id: 2n ** 64n }, { id: '18446744073709551616' }],
  ['absent values', { a: undefined, list: [undefined, 1] }, { list: [null, 1] }],
  ['an instance', new Hive(), { code: 'ML-01' }],
  ['an own JSON form', { toJSON: () => ({ at: new Date(0) }) }, { at: '1970-01-01T00:00:00.000Z' }],
  ['one object in two places', [shared, shared], [{ kg: 1 }, { kg: 1 }]],
])('%s becomes JSON', (_what, value, wanted) => {
  const plain = plainJson(value)
  expect(plain.ok && JSON.parse(JSON.stringify(plain.value))).toStrictEqual(wanted)
})

test.each([
  null,
  true,
  'x',
  41,
  { a: [1, { b: null }] },
  Object.assign(Object.create(null), { kg: 1 }),
  { a: undefined },
])('the plain value %j is returned itself', (value) => {
  const plain = plainJson(value)
  expect(plain.ok && plain.value).toBe(value)
})

test('an object whose own JSON form is itself has its properties, and a field toJSON is a field', () => {
  class Own {
    at = new Date(0)
    toJSON() {
      return this
    }
  }
  expect(plainJson(new Own())).toMatchObject({ ok: true, value: { at: '1970-01-01T00:00:00.000Z' } })
  expect(plainJson({ toJSON: 'x' })).toStrictEqual({ ok: true, value: { toJSON: 'x' } })
})

test('what a conversion throws is thrown', () => {
  const broken = {
    toJSON() {
      throw new TypeError('no scale')
    },
  }
  expect(() => plainJson(broken)).toThrow('no scale')
})

test.each([
  [65, true],
  [1001, true],
  [1002, false],
])('%i levels are converted: %s', (levels, expected) => {
  let value: unknown = 1
  for (let level = 0; level < levels; level++) value = [value]
  expect(plainJson(value).ok).toBe(expected)
})

test.each([
  ['a cycle', cycle, 'a.0', 'holds itself'],
  ['a function', { weigh: () => 1 }, 'weigh', 'is a function'],
  ['a symbol', [Symbol('x')], '0', 'is a symbol'],
  ['a promise', { kg: Promise.resolve(1) }, 'kg', 'is a promise; is an "await" missing?'],
  ['NaN', { of: new Map([['kg', Number.NaN]]) }, 'of.kg', 'is NaN'],
  ['an infinite number', Number.POSITIVE_INFINITY, 'result', 'is Infinity'],
  ['an invalid Date', { at: new Date('x') }, 'at', 'is an invalid Date'],
  ['too many levels', deep(), '0.0.0.0.0.0.0.0.0.0', 'has more than 1000 levels'],
])('%s is refused with its path', (_what, value, path, problem) => {
  expect(plainJson(value)).toStrictEqual({ ok: false, path, problem })
})

test('tool results that JSON cannot represent are refused with the place, after the conversion that is sent', async () => {
  const reports: string[] = []
  const one = (name: string, run: () => unknown, output?: z.ZodObject) =>
    tool(name, { about: 'Returns something.', effect: 'read', ...(output ? { output } : {}), run: run as never })
  const kit = defineKit({
    ...{ name: 'k', version: '1', about: 'x' },
    parts: [
      one('text', () => new Map([['kg', 41n]])),
      one('odd_text', () => ({ list: [{ weigh: () => 1 }] })),
      one(
        'structured',
        () => ({ at: new Date(0), raw: new Uint8Array([0, 255, 16]) }),
        z.object({ at: z.iso.datetime(), raw: z.string() }),
      ),
      one(
        'changed',
        () => ({ at: new Date(0) }),
        z.object({
          at: z
            .date()
            .transform((at) => at.getTime())
            .pipe(z.number()),
        }),
      ),
      one('wrong', () => ({ at: new Date(0) }), z.object({ at: z.number() })),
      one('odd', () => ({ at: cycle }), z.object({ at: z.any() })),
    ],
  })
  const link = await connect(kit, { report: ({ text }) => void reports.push(text) })
  const call = async (name: string) => {
    const { structuredContent, content, isError } = await link.call(name, {})
    return isError ? content : (structuredContent ?? content)
  }
  expect(await call('text')).toStrictEqual([{ type: 'text', text: '{"kg":"41"}' }])
  expect(await call('odd_text')).toMatchObject([{ text: expect.stringContaining('list.0.weigh is a function') }])
  expect(await call('structured')).toStrictEqual({ at: '1970-01-01T00:00:00.000Z', raw: 'AP8Q' })
  expect(await call('changed')).toStrictEqual({ at: 0 })
  expect(await call('wrong')).toMatchObject([{ text: expect.stringContaining('output schema does not allow: at') }])
  expect(await call('odd')).toMatchObject([{ text: expect.stringContaining('at.a.0 holds itself') }])
  expect(reports).toHaveLength(3)
  await link.close()
})
