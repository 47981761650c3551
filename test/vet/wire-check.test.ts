import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { RunningKit } from '../../src/engine/running-kit.js'
import { interpretingValidator } from '../../src/kit/interpreting-validator.js'
import { newestRevision } from '../../src/protocol/revisions.js'
import { commandOf } from '../../src/target/command-of.js'
import { readTarget } from '../../src/target/target.js'
import { MemoryWire } from '../../src/transport/memory.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { childServer } from '../../src/vet/wire/child-talk.js'
import { httpServer } from '../../src/vet/wire/http-talk.js'
import { mismatch } from '../../src/vet/wire/pattern.js'
import { needsOf, type Subject } from '../../src/vet/wire/requirement.js'
import { requirements } from '../../src/vet/wire/table.js'
import { Talk, type WireServer } from '../../src/vet/wire/talk.js'
import { hives } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'
import { Upstream } from '../support/upstream.js'

type Mutate = (message: Loose, asked: Loose) => unknown[]

/** A correct server, except for changes to the messages that it sends. */
class LyingTalk extends Talk {
  readonly #wire = new MemoryWire(
    new RunningKit(sampleKit(), { environment: {}, validator: interpretingValidator, report: () => {} }),
    true,
  )
  readonly #asked = new Map<unknown, Loose>()

  constructor(mutate: Mutate) {
    super()
    this.#wire.start({
      receive: (message: Loose) => {
        const asked = 'method' in message ? undefined : this.#asked.get(message.id)
        for (const sent of mutate(message, asked ?? {})) this.receive(sent)
      },
      closed: (why) => this.ended(why),
    })
  }
  send(value: Loose): void {
    this.#asked.set(value.id, value)
    this.#wire.send(value)
  }
  sendText(): void {}
  close(): Promise<void> {
    return this.#wire.close()
  }
}

const subject: Subject = {
  tool: { name: 'add', arguments: { a: 1 }, wrong: { a: 'one' }, field: 'a' },
  structuredTool: { name: 'add', arguments: { a: 1 } },
  progressTool: { name: 'steps', arguments: {} },
  loggingTool: { name: 'steps', arguments: {} },
  waitingTool: { name: 'wait', arguments: {} },
  taskFree: true,
  resource: { uri: 'sample://counter' },
  prompt: { name: 'greet', arguments: { name: 'Ada' }, required: 'name' },
  completion: { prompt: 'greet', argument: 'name', typed: 'A' },
}

async function brokenRows(mutate: Mutate): Promise<string[]> {
  const server: WireServer = { transport: 'two-endpoint', open: async () => new LyingTalk(mutate) }
  const check = new WireCheck(server, newestRevision, subject, { stepMs: 60 })
  const broken: string[] = []
  for (const row of requirements) if ((await check.check(row)).verdict === 'broken') broken.push(row.id)
  await check.close()
  return broken
}

const on =
  (method: string, change: (message: Loose) => void): Mutate =>
  (message, asked) => {
    if (asked.method === method && message.result) change(message)
    return [message]
  }

/** A fault, and the row that must detect it. */
const faults: [fault: string, mutate: Mutate, row: string][] = [
  [
    'ids that come back as text',
    (m) => [{ ...m, ...('id' in m ? { id: String(m.id) } : {}) }],
    'messages/integer-id',
  ],
  [
    'another revision than was asked for',
    on('initialize', (m) => {
      m.result.protocolVersion = '2024-11-05'
    }),
    'lifecycle/initialize',
  ],
  [
    'a server without a version',
    on('initialize', (m) => {
      delete m.result.serverInfo.version
    }),
    'lifecycle/initialize',
  ],
  [
    'capabilities that are left out',
    on('initialize', (m) => {
      m.result.capabilities = {}
    }),
    'lifecycle/list-changed-declared',
  ],
  [
    'unknown tools as results',
    (m, asked) => [
      asked.method === 'tools/call' && m.error
        ? { jsonrpc: '2.0', id: m.id, result: { content: [], isError: true } }
        : m,
    ],
    'tools/unknown',
  ],
  [
    'wrong arguments as protocol errors',
    (m) => [m.result?.isError ? { jsonrpc: '2.0', id: m.id, error: { code: -32602, message: 'a' } } : m],
    'tools/wrong-arguments',
  ],
  [
    'structured content that is left out',
    on('tools/call', (m) => {
      delete m.result.structuredContent
    }),
    'tools/structured',
  ],
  [
    'a wrong code for unknown resources',
    (m) => [m.error?.code === -32002 ? { ...m, error: { ...m.error, code: -32602 } } : m],
    'resources/unknown',
  ],
  [
    'progress after the answer',
    (m, asked) =>
      [
        m,
        ...(asked.params?._meta
          ? [
              {
                jsonrpc: '2.0',
                method: 'notifications/progress',
                params: { progressToken: asked.params._meta.progressToken, progress: 9 },
              },
            ]
          : []),
      ].slice(m.method === 'notifications/progress' ? 1 : 0),
    'utilities/progress-number-token',
  ],
  [
    'log messages below the level',
    (m) => [m.method === 'notifications/message' ? { ...m, params: { ...m.params, level: 'debug' } } : m],
    'utilities/log-below-level',
  ],
  [
    'answers to notifications',
    (m, asked) => [
      m,
      ...(asked.method === 'ping' ? [{ jsonrpc: '2.0', error: { code: -32601, message: 'x' } }] : []),
    ],
    'messages/notification-unanswered',
  ],
  ['silence after a ping', (m, asked) => (asked.method === 'ping' ? [] : [m]), 'utilities/ping-while-busy'],
  [
    'too many completions',
    on('completion/complete', (m) => {
      m.result.completion.values = Array(101).fill('x')
    }),
    'utilities/complete-prompt',
  ],
  [
    'a name with a blank',
    on('tools/list', (m) => {
      m.result.tools[0].name = 'two words'
    }),
    'tools/list',
  ],
]

describe('the table detects a server', () => {
  test.each(faults)('with %s', async (_fault, mutate, row) => {
    expect(await brokenRows(mutate)).toContain(row)
  })

  test('and reports nothing for a correct one', async () => {
    expect(await brokenRows((message) => [message])).toStrictEqual([])
  })

  test('and does not wait for one that has ended', async () => {
    const upstream = await Upstream.start()
    const { url } = upstream
    await upstream.end()
    const check = new WireCheck(httpServer(url), newestRevision, subject, { stepMs: 60_000 })
    const outcomes = []
    for (const row of requirements) outcomes.push(await check.check(row))
    await check.close()
    const broken = outcomes.filter((one) => one.verdict === 'broken')
    expect(broken.length).toBeGreaterThan(100)
    for (const { why } of broken) expect(why).toMatch(/ECONNREFUSED/)
    expect(outcomes.some(({ verdict }) => verdict === 'met')).toBe(false)
  })

  test('and ends soon for one that never responds', async () => {
    const silent = createServer(() => {}).listen(0, '127.0.0.1')
    await once(silent, 'listening')
    const { port } = silent.address() as AddressInfo
    const check = new WireCheck(httpServer(`http://127.0.0.1:${port}/mcp`), newestRevision, subject, { stepMs: 50 })
    const rows = requirements.filter(({ exchange }) => !exchange.some((step) => 'request' in step))
    const outcomes = []
    for (const row of rows) outcomes.push(await check.check(row))
    silent.closeAllConnections()
    await check.close()
    silent.close()
    expect(outcomes.filter(({ verdict }) => verdict === 'broken').length).toBeGreaterThan(80)
    expect(outcomes.some(({ verdict }) => verdict === 'met')).toBe(false)
  })

  test('with a reason that names the place', async () => {
    const server: WireServer = {
      transport: 'two-endpoint',
      open: async () =>
        new LyingTalk(
          on('tools/list', (m) => {
            m.result.tools[1].inputSchema = null
          }),
        ),
    }
    const check = new WireCheck(server, newestRevision, subject)
    const row = requirements.find(({ id }) => id === 'tools/list')
    expect(row && (await check.check(row))).toStrictEqual({
      verdict: 'broken',
      why: 'step 2: message.result.tools[1].inputSchema is null, not an object',
    })
    await check.close()
  })
})

test('a kit file is checked as a process that `jexo serve` starts', async () => {
  const target = await readTarget(hives)
  if (target.kind !== 'kit') throw new Error(`the target is a ${target.kind}`)
  const tool = { name: 'weigh_hive', arguments: { hive: 'ML-04' }, wrong: { hive: 4 }, field: 'hive' }
  const check = new WireCheck(childServer(commandOf(target)), newestRevision, { tool })
  const row = requirements.find(({ id }) => id === 'tools/list')
  expect(row && (await check.check(row))).toStrictEqual({ verdict: 'met' })
  await check.close()
})

test.each<[pattern: unknown, value: unknown, says: RegExp | undefined]>([
  [{ a: 1 }, { a: 1, b: 2 }, undefined],
  [{ a: 1 }, { a: 2 }, /message\.a is 2, not 1/],
  [[1, 2], [1], /not 2 elements/],
  [{ $is: 'absent' }, undefined, undefined],
  [{ $is: 'integer' }, 1.5, /not integer/],
  [{ $has: [{ a: 1 }] }, [{ a: 2 }, { a: 1 }], undefined],
  [{ $has: [3] }, [1], /has no item that matches 3/],
  [{ $each: { $is: 'string' } }, ['a', 5], /message\[1\] is 5/],
  [{ $oneOf: [1, 2] }, 3, /none of/],
  [{ $atMost: 1 }, [1, 2], /more than 1/],
  [{ $matches: '^a' }, 'b', /does not match/],
  [{ $count: 2 }, [1, 2], undefined],
])('the pattern %j against %j', (pattern, value, says) => {
  const why = mismatch(pattern, value)
  if (says === undefined) expect(why).toBeUndefined()
  else expect(why).toMatch(says)
})

test('a row is skipped if the server lacks what its requests need', () => {
  const row = (id: string) => requirements.find((one) => one.id === id)
  for (const id of ['http/streamed-progress', 'http/primed-stream'])
    expect(needsOf(row(id) as never)).toStrictEqual(['progressTool'])
  const known = requirements.flatMap((one) =>
    needsOf(one).filter((need) => !(one.needs ?? []).includes(need as never)),
  )
  expect(new Set(known)).toStrictEqual(new Set(['progressTool']))
})
