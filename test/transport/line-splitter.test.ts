import fc from 'fast-check'
import { LineSplitter } from '../../src/transport/line-splitter.js'

function split(bytes: Uint8Array, cuts: number[], maxBytes = 1_000_000) {
  const lines: string[] = []
  let tooLong = 0
  const splitter = new LineSplitter(
    maxBytes,
    (line) => lines.push(line),
    () => tooLong++,
  )
  let from = 0
  for (const cut of [...cuts.map((at) => at % (bytes.length + 1)).sort((a, b) => a - b), bytes.length]) {
    splitter.push(bytes.slice(from, cut))
    from = cut
  }
  splitter.end()
  return { lines, tooLong }
}

test('lines come out whole, at whatever byte the chunks are split', () => {
  fc.assert(
    fc.property(fc.array(fc.json(), { maxLength: 6 }), fc.array(fc.nat()), (values, cuts) => {
      const bytes = new TextEncoder().encode(values.map((value) => `${value}\n`).join(''))
      expect(split(bytes, cuts).lines).toStrictEqual(values.filter((value) => value.trim() !== ''))
    }),
  )
})

test('only a line over the limit is dropped', () => {
  const bytes = new TextEncoder().encode(`short\n${'x'.repeat(50)}\nlast`)
  expect(split(bytes, [3, 20, 40], 20)).toStrictEqual({ lines: ['short', 'last'], tooLong: 1 })
})

test('carriage returns and empty lines are ignored', () => {
  expect(split(new TextEncoder().encode('a\r\n\r\n\nb\n'), []).lines).toStrictEqual(['a', 'b'])
})
