import { PassThrough } from 'node:stream'
import { defineKit, tool } from 'jexo'
import { runOnNode } from '../../src/transport/node-run.js'
import { runStdio } from '../../src/transport/stdio.js'
import { hello, ready } from '../support/cli.js'

/** The texts written to the output for one chunk of input. */
async function writesFor(sizes: readonly number[]): Promise<string[]> {
  const run = ({ size }: { size: number }) => 'x'.repeat(size)
  const input = { type: 'object', properties: { size: { type: 'integer' } }, required: ['size'] } as const
  const parts = [tool('fill', { about: 'Fills.', effect: 'read', input, run })]
  const stdin = new PassThrough()
  const writes: string[] = []
  const write = (text: string) => writes.push(text) > 0
  const over = runStdio(
    runOnNode(defineKit({ name: 'k', version: '1', parts })),
    {},
    {
      input: stdin,
      output: new PassThrough(),
      write,
    },
  )
  const calls = sizes.map((size, id) => ({
    ...{ jsonrpc: '2.0', id, method: 'tools/call' },
    params: { name: 'fill', arguments: { size } },
  }))
  stdin.write(`${[hello('2025-11-25'), ready].map((message) => JSON.stringify(message)).join('\n')}\n`)
  // The first check of arguments loads the validator.
  stdin.write(`${JSON.stringify({ ...calls[0], id: 'first' })}\n`)
  while (!writes.some((text) => text.includes('"first"'))) await new Promise((wake) => setTimeout(wake, 5))
  writes.length = 0
  stdin.end(`${calls.map((call) => JSON.stringify(call)).join('\n')}\n`)
  await over
  return writes
}

test('small responses to one chunk are written together', async () => {
  const writes = await writesFor([1, 2, 3])
  expect(writes).toHaveLength(1)
  expect(writes[0]?.trim().split('\n')).toHaveLength(3)
})

test('large responses to one chunk are never joined into one string', async () => {
  const writes = await writesFor(Array.from({ length: 40 }, () => 300_000))
  expect(writes.join('').trim().split('\n')).toHaveLength(40)
  expect(Math.max(...writes.map((text) => text.length))).toBeLessThan(2_000_000)
})
