import fc from 'fast-check'
import { encode, encodedOnce, StructuredResult } from '../../src/protocol/encoding.js'
import { SmallMap } from '../../src/protocol/small-map.js'
import { anyText } from '../support/text.js'

const ids = fc.oneof(fc.maxSafeInteger(), anyText())

test('a response is the same JSON, however its result is stored', () => {
  fc.assert(
    fc.property(fc.dictionary(fc.string(), fc.jsonValue(), { noNullPrototype: true }), ids, (value, id) => {
      const plain = { content: [{ type: 'text', text: JSON.stringify(value) }], structuredContent: value }
      const expected = JSON.stringify({ jsonrpc: '2.0', id, result: plain })
      for (const result of [new StructuredResult(value), encodedOnce({ ...plain })])
        for (let time = 0; time < 2; time++) expect(encode({ jsonrpc: '2.0', id, result })).toBe(expected)
    }),
  )
})

test('a value that is frozen for encoding keeps its content', () => {
  const result = encodedOnce({ tools: [] })
  expect(() => Object.assign(result, { more: 1 })).toThrow(TypeError)
})

test('a small map behaves like a Map', () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.constantFrom('set', 'delete', 'clear'), fc.nat(5), fc.nat())), (steps) => {
      const map = new Map<number, number>()
      const small = new SmallMap<number, number>()
      for (const [step, key, value] of steps) {
        if (step === 'set') for (const one of [map, small]) one.set(key, value)
        else if (step === 'delete') for (const one of [map, small]) one.delete(key)
        else if (value % 5 === 0) for (const one of [map, small]) one.clear()
        expect(small.entries()).toStrictEqual([...map])
        expect(small.values()).toStrictEqual([...map.values()])
        expect([small.size, small.get(key), small.has(key)]).toStrictEqual([map.size, map.get(key), map.has(key)])
      }
    }),
  )
})
