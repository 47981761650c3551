import { layersOf, readDurationMs, readLimit } from '../../src/serve/layer-choice.js'

test.each([
  ['60/min', { calls: 60, perMs: 60_000 }],
  ['5/s', { calls: 5, perMs: 1000 }],
  ['1000/hour', { calls: 1000, perMs: 3_600_000 }],
])('the limit %s is read', (text, expected) => expect(readLimit(text)).toStrictEqual(expected))

test.each(['60', '0/min', '-1/s', '5/day', '5 / min', ''])('the limit %j is refused', (text) => {
  expect(() => readLimit(text)).toThrow(/expected a number of calls per time, such as 60\/min/)
})

test.each([
  ['5s', 5000],
  ['500ms', 500],
  ['2min', 120_000],
])('the time %s is read', (text, expected) => expect(readDurationMs(text)).toBe(expected))

test.each(['5', '0s', '1h', 's'])('the time %j is refused', (text) => {
  expect(() => readDurationMs(text)).toThrow(/expected a time, such as 5s/)
})

test('the options become layers, outermost first', async () => {
  const layers = await layersOf({ limit: readLimit('1/s'), timeLimitMs: 5000, audit: 'stderr' })
  expect(layers.map(({ name }) => name)).toStrictEqual(['audit', 'limitRate', 'timeLimit'])
  expect(await layersOf({ limit: undefined, timeLimitMs: undefined, audit: undefined })).toStrictEqual([])
})
