import { defineKit, Refusal, tool } from 'jexo'
import { connect, type HttpService, type NodeConnectOptions, serveHttp } from 'jexo/node'
import { redisStore } from 'jexo/redis'
import { z } from 'zod'
import { memoryStore } from '../../src/store/memory/memory-store.js'
import type { Store } from '../../src/store/store.js'
import { type RedisServer, redisServer } from '../support/redis.js'

let redis: RedisServer
beforeAll(async () => {
  redis = await redisServer()
})
afterAll(() => redis.remove())

const gates = new Map<string, () => void>()
const aborted: string[] = []
const attempts: [number, unknown][] = []

const apiary = () =>
  defineKit({
    name: 'apiary',
    version: '1.0.0',
    parts: [
      tool('count', {
        about: 'Counts.',
        effect: 'read',
        input: z.object({ gate: z.string() }),
        task: 'optional',
        run: async ({ gate }, call) => {
          call.progress(1, 2, 'half of it')
          call.signal.addEventListener('abort', () => aborted.push(gate))
          await new Promise<void>((go) => gates.set(gate, go))
          return 'counted'
        },
      }),
      tool('ask', {
        about: 'Asks.',
        effect: 'read',
        input: z.object({}),
        task: 'required',
        run: async (_, call) => {
          const answer = await call.askPerson('Which hive?', z.object({ hive: z.string() }))
          return answer.action === 'accept' ? answer.content.hive : answer.action
        },
      }),
      tool('survey', {
        about: 'Takes long.',
        effect: 'change',
        input: z.object({ fails: z.number(), refuses: z.boolean().optional() }),
        task: 'required',
        durable: { attempts: 3, backoff: { firstMs: 50, grows: false } },
        run: async ({ fails, refuses }, call) => {
          attempts.push([call.task?.attempt ?? 0, call.task?.checkpoint])
          await call.checkpoint({ hive: attempts.length })
          if (refuses) throw new Refusal('There are no bees.')
          if ((call.task?.attempt ?? 0) <= fails) throw new Error('the smoker is empty')
          return `surveyed for ${call.identity?.subject ?? 'nobody'}`
        },
      }),
      tool('long_survey', {
        about: 'Waits.',
        effect: 'change',
        input: z.object({ gate: z.string() }),
        task: 'required',
        durable: {},
        run: async ({ gate }, call) => {
          attempts.push([call.task?.attempt ?? 0, call.task?.checkpoint])
          await call.checkpoint(gate)
          // It does not notice that its process is stopping.
          await new Promise<void>((go) => gates.set(`${gate} ${attempts.length}`, go))
          return 'surveyed'
        },
      }),
    ],
  })

let services: HttpService[] = []
const start = async (store: Store) => {
  const service = await serveHttp(apiary(), { store, report: () => {}, drainMs: 100 })
  services.push(service)
  while ((await fetch(new URL('/health/ready', service.url))).status !== 200)
    await new Promise((go) => setTimeout(go, 20))
  return service
}
/** A link to one process, in the session of another. */
const open = (service: HttpService, options: NodeConnectOptions = {}) => connect(service.url, options)

beforeEach(() => {
  attempts.length = 0
})
afterEach(async () => {
  await Promise.all(services.map((service) => service.close()))
  services = []
})

const makers: [string, () => () => Store][] = [
  [
    'memory',
    () => {
      const one = memoryStore()
      return () => one
    },
  ],
  [
    'redis',
    () => {
      const prefix = `test-${Math.random()}`
      return () => redisStore(redis.url, { prefix })
    },
  ],
]

describe.each(makers)('tasks with a store in %s', (_name, make) => {
  test('a task of one process can be read, awaited and listed in another', async () => {
    const next = make()
    const [a, b] = [await open(await start(next())), await open(await start(next()))]
    const task = await a.start('count', { gate: 'seen' })
    const there = b.task(String(task.id))
    expect((await there.status()).status).toBe('working')
    const result = there.result()
    while (!(await there.status()).statusMessage) await new Promise((go) => setTimeout(go, 20))
    expect((await there.status()).statusMessage).toBe('half of it')
    gates.get('seen')?.()
    expect((await result).content).toMatchObject([{ text: 'counted' }])
    expect(await there.status()).toMatchObject({ status: 'completed' })
    await a.close()
    await b.close()
  })

  test('a task can be cancelled from another process', async () => {
    const next = make()
    const [a, b] = [await open(await start(next())), await open(await start(next()))]
    const task = await a.start('count', { gate: 'cancelled' })
    const result = b.task(String(task.id)).result()
    result.catch(() => {})
    await new Promise((go) => setTimeout(go, 100))
    expect(await b.task(String(task.id)).cancel()).toMatchObject({ status: 'cancelled' })
    expect(aborted).toContain('cancelled')
    await expect(result).rejects.toThrow(/cancelled/)
    await expect(b.task(String(task.id)).cancel()).rejects.toThrow(/cancelled already/)
    await a.close()
    await b.close()
  })

  test('a question of a task reaches the client that waits for it in another process', async () => {
    const next = make()
    const onQuestion = async () => ({ action: 'accept' as const, content: { hive: 'ML-03' } })
    const [a, b] = [
      await open(await start(next()), { onQuestion }),
      await open(await start(next()), { onQuestion }),
    ]
    const task = await a.start('ask', {})
    expect((await b.task(String(task.id)).result()).content).toMatchObject([{ text: 'ML-03' }])
    await a.close()
    await b.close()
  })

  test('a task that cannot continue fails with its process, and says so', async () => {
    const next = make()
    const [first, second] = [await start(next()), await start(next())]
    const [a, b] = [await open(first), await open(second)]
    const task = await a.start('count', { gate: 'stopped' })
    await first.close()
    expect(await b.task(String(task.id)).status()).toMatchObject({
      status: 'failed',
      statusMessage: 'The server was stopped',
    })
    await expect(b.task(String(task.id)).result()).rejects.toThrow('The server was stopped')
    await b.close()
  })

  test('an unknown task is unknown in every process', async () => {
    const next = make()
    const b = await open(await start(next()))
    await expect(b.task('nothing').status()).rejects.toThrow(/unknown or expired/)
    await expect(b.task('x'.repeat(5000)).result()).rejects.toThrow(/unknown or expired/)
    await b.close()
  })
})

describe('durable tasks', () => {
  test('are retried after errors with their saved state, up to their limit', async () => {
    const link = await open(await start(redisStore(redis.url, { prefix: 'durable-1' })))
    const task = await link.start('survey', { fails: 2 })
    expect((await task.result()).content).toMatchObject([{ text: 'surveyed for nobody' }])
    expect(attempts).toStrictEqual([
      [1, undefined],
      [2, { hive: 1 }],
      [3, { hive: 2 }],
    ])
    attempts.length = 0
    const failing = await link.start('survey', { fails: 9 })
    expect((await failing.result()).isError).toBe(true)
    expect(attempts).toHaveLength(3)
    await link.close()
  })

  test('are not retried after a refusal', async () => {
    const link = await open(await start(redisStore(redis.url, { prefix: 'durable-2' })))
    const task = await link.start('survey', { fails: 0, refuses: true })
    expect(await task.result()).toMatchObject({ isError: true, content: [{ text: 'There are no bees.' }] })
    expect(attempts).toHaveLength(1)
    await link.close()
  })

  test('continue in another process when theirs is stopped, which does not count as an attempt', async () => {
    const store = () => redisStore(redis.url, { prefix: 'durable-3' })
    const first = await start(store())
    const a = await open(first)
    const task = await a.start('long_survey', { gate: 'moved' })
    while (attempts.length === 0) await new Promise((go) => setTimeout(go, 20))
    const b = await open(await start(store()))
    await first.close()
    while (!gates.has('moved 2')) await new Promise((go) => setTimeout(go, 20))
    expect(attempts).toStrictEqual([
      [1, undefined],
      [1, 'moved'],
    ])
    gates.get('moved 2')?.()
    expect((await b.task(String(task.id)).result()).content).toMatchObject([{ text: 'surveyed' }])
    await b.close()
  })

  test('can be cancelled', async () => {
    const link = await open(await start(redisStore(redis.url, { prefix: 'durable-4' })))
    const task = await link.start('long_survey', { gate: 'ended' })
    while (attempts.length === 0) await new Promise((go) => setTimeout(go, 20))
    expect(await task.cancel()).toMatchObject({ status: 'cancelled' })
    await new Promise((go) => setTimeout(go, 300))
    expect(attempts).toHaveLength(1)
    expect(await task.status()).toMatchObject({ status: 'cancelled' })
    await link.close()
  })
})

test.each([
  [{ task: 'optional', durable: {} }, /task: 'required'/],
  [{ task: 'required', durable: { attempts: 0 } }, /whole number from 1/],
  [{ task: 'required', durable: { attempts: 1.5 } }, /whole number from 1/],
  [{ task: 'required', durable: { backoff: { firstMs: -1 } } }, /milliseconds/],
  [{ task: 'required', durable: { attemps: 2 } }, /attemps/],
])('%j is refused for a durable tool', (options, why) => {
  const make = () => tool('x', { about: 'X.', effect: 'read', run: () => 'x', ...options } as never)
  expect(make).toThrow(why)
})
