import { fromBase64, fromBase64Url, toBase64, toBase64Url } from '../../src/protocol/base64.js'
import { BatchReply } from '../../src/protocol/batch.js'
import type { Message } from '../../src/protocol/messages.js'

const response = (id: number): Message => ({ jsonrpc: '2.0', id, result: {} })

test('the responses to a batch are passed on together, after the last request', () => {
  const delivered: Message[][] = []
  const reply = new BatchReply([1, 2, 3], (messages) => delivered.push(messages))
  const malformed: Message = { jsonrpc: '2.0', error: { code: -32600, message: 'x' } }
  reply.add(malformed)
  expect(reply.take(response(1), 1)).toBe(true)
  expect(reply.take(response(4), 4)).toBe(false)
  expect(reply.take(response(2), undefined)).toBe(false)
  expect(reply.take({ jsonrpc: '2.0', method: 'notifications/progress' }, 2)).toBe(false)
  reply.settled(1)
  expect(reply.take(response(1), 1)).toBe(false)
  expect([reply.isDone, delivered]).toStrictEqual([false, []])
  reply.deliverIfDone()
  expect(delivered).toStrictEqual([])
  reply.take(response(2), 2)
  reply.settled(2)
  reply.settled(3)
  expect(delivered).toStrictEqual([[malformed, response(1), response(2)]])
  expect(reply.isDone).toBe(true)
})

test('a batch without a response is not answered, and one that is interrupted passes on what it has', () => {
  const delivered: Message[][] = []
  const silent = new BatchReply([1], (messages) => delivered.push(messages))
  silent.settled(1)
  expect(delivered).toStrictEqual([])
  const interrupted = new BatchReply([1, 2], (messages) => delivered.push(messages))
  interrupted.take(response(1), 1)
  interrupted.deliverNow()
  interrupted.deliverNow()
  expect(delivered).toStrictEqual([[response(1)]])
})

test('bytes of any length survive base64', () => {
  for (const length of [0, 1, 2, 3, 0x8000, 0x8001, 0x10000]) {
    const bytes = Uint8Array.from({ length }, (_, at) => at % 251)
    expect(toBase64(bytes)).toBe(Buffer.from(bytes).toString('base64'))
    expect(Buffer.from(fromBase64(toBase64(bytes))).equals(Buffer.from(bytes))).toBe(true)
  }
  expect(() => fromBase64('*')).toThrow()
})

test('a cursor that was not made by Jexo is undefined', () => {
  expect(fromBase64Url(toBase64Url('ML-04 → ÿ?>'))).toBe('ML-04 → ÿ?>')
  expect(toBase64Url('ÿ?>~')).toMatch(/^[\w-]+$/)
  expect(['*', '_-8', 'gA'].map(fromBase64Url)).toStrictEqual([undefined, undefined, undefined])
})
