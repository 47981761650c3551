import { defineKit, type Part, resource, tool } from 'jexo'
import { connect } from 'jexo/link'
import { encode, encodedOnce } from '../../src/protocol/encoding.js'

const parts = (count: number): Part[] =>
  Array.from({ length: count }, (_, at) =>
    tool(`weigh_${at}`, {
      about: 'Weighs one hive.',
      effect: 'read',
      tags: [at < 3 ? 'few' : 'many'],
      run: () => 'ok',
    }),
  )

test('a list is encoded once for each set of parts, and again when they change', async () => {
  const encoded: number[] = []
  const counted = tool('counted', {
    about: 'Counts.',
    effect: 'read',
    meta: { at: { toJSON: () => encoded.push(1) } },
    run: () => 'ok',
  })
  const kit = defineKit({ name: 'hives', version: '1', parts: [...parts(20), counted] })
  const link = await connect(kit)
  const names = async () => ((await link.ask('tools/list', {})).tools as { name: string }[]).map(({ name }) => name)
  expect(await names()).toHaveLength(21)
  const once = encoded.length
  await names()
  await names()
  expect(encoded.length).toBe(once)
  kit.replace([...parts(2), counted])
  expect(await names()).toStrictEqual(['weigh_0', 'weigh_1', 'counted'])
  expect(encoded.length).toBeGreaterThan(once)
})

test('pages, revisions and filtered sessions have separate lists', async () => {
  const kit = defineKit({
    name: 'hives',
    version: '1',
    parts: [
      ...parts(20),
      resource('hives://all', { name: 'all', about: 'All.', title: 'All hives', read: () => 'x' }),
    ],
  })
  const newest = await connect(kit, { pageSize: 7 })
  const oldest = await connect(kit, { pageSize: 7, revision: '2024-11-05' })
  for (let round = 0; round < 2; round++) {
    expect((await newest.tools()).map(({ name }) => name)).toStrictEqual(parts(20).map(({ name }) => name))
    expect((await newest.tools())[0]).toHaveProperty('annotations')
    expect((await oldest.tools())[0]).not.toHaveProperty('annotations')
    expect((await newest.resources())[0]).toHaveProperty('title')
    expect((await oldest.resources())[0]).not.toHaveProperty('title')
    await expect(newest.ask('tools/list', { cursor: 'bm9uZQ' })).rejects.toThrow(/cursor/)
    await expect(newest.ask('tools/list', { cursor: 7 })).rejects.toThrow(/cursor/)
  }
})

test.each([
  { jsonrpc: '2.0', id: 1, result: { a: 1 } },
  { jsonrpc: '2.0', id: 'a"b', result: {} },
  { jsonrpc: '2.0', id: 1, error: { code: -32600, message: 'x' } },
  { jsonrpc: '2.0', method: 'ping', id: 2 },
  [{ jsonrpc: '2.0', id: 1, result: {} }],
])('%j is encoded as by JSON.stringify', (message) => {
  expect(encode(message as never)).toBe(JSON.stringify(message))
  if ('result' in message && message.result) {
    const kept = { ...message, result: encodedOnce(message.result) }
    expect([encode(kept as never), encode(kept as never)]).toStrictEqual([
      JSON.stringify(message),
      JSON.stringify(message),
    ])
  }
})
