/** A program that answers calls on JSON lines; its first argument is added to its description. */
import { spawn } from 'node:child_process'
import { createInterface } from 'node:readline'

const more = JSON.parse(process.argv[2] ?? '{}')
const write = (message) => process.stdout.write(`${JSON.stringify(message)}\n`)
const any = { type: 'object' }
const names = ['echo', 'env', 'fail', 'picture', 'steps', 'wait', 'die', 'flood', 'odd', 'linger', 'pid']
const tools = names.map((name) => ({ name, about: `Does ${name}.`, effect: 'read', input: any }))
write({ version: 1, tools, ...more })

const waiting = new Map()
const functions = {
  echo: ({ id, input }) => write({ id, output: input.value }),
  env: ({ id }) => write({ id, output: Object.keys(process.env).sort() }),
  fail: ({ id }) => write({ id, error: { message: 'there is no hive ML-99' } }),
  picture: ({ input: { kind = 'image', data = 'aGl2ZQ==' } }) =>
    write({ content: [{ type: kind, data, mimeType: 'image/png' }] }),
  steps({ id }) {
    console.log('a line that is no message')
    write({ log: 'info', message: 'half-way' })
    write({ id, progress: { done: 1, total: 2, message: 'one' } })
    write({ id: 999, output: 'of no call' })
    write({ id, output: 'done' })
  },
  wait({ id, input }) {
    const timer = setTimeout(() => write({ id, output: 'waited' }), input.ms ?? 3_600_000)
    waiting.set(id, timer)
  },
  die() {
    console.error('out of honey')
    process.exit(3)
  },
  flood: ({ id }) => write({ id, output: 'x'.repeat(2_000_000) }),
  odd: ({ id }) =>
    process.stdout.write(
      `[1]\n{"id":${id},"output":\n{"id":"x"}\n{"id":${id},"progress":"far"}\n{"output":{"ok":true}}\n`,
    ),
  /** Leaves a child process behind that holds its pipes. */
  linger() {
    spawn(process.execPath, ['-e', 'setTimeout(() => {}, 3_600_000)'], { stdio: 'inherit' })
    process.exit(0)
  },
  pid: ({ id }) => write({ id, output: process.pid }),
}
for await (const line of createInterface({ input: process.stdin })) {
  const message = JSON.parse(line)
  if (message.call) functions[message.call](message)
  else {
    clearTimeout(waiting.get(message.cancel))
    console.error(`cancelled ${message.cancel}`)
  }
}
