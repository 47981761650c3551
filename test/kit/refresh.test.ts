import { defineKit, shared, tool } from 'jexo'
import { connect } from 'jexo/link'
import { serveHttp } from 'jexo/node'
import { redisStore } from 'jexo/redis'
import { z } from 'zod'
import { RawSession } from '../support/raw-session.js'
import { redisServer } from '../support/redis.js'

/** A kit with an index that counts how often it was built. */
function kitWith(log: string[], everyMs = 1000, open?: () => Promise<void>) {
  let count = 0
  let release = () => {}
  const held = new Promise<void>((resolve) => {
    release = resolve
  })
  const index = shared(
    async () => {
      await open?.()
      log.push(`open ${++count}`)
      return { number: count }
    },
    ({ number }) => void log.push(`close ${number}`),
    { refresh: { name: 'index', everyMs } },
  )
  const kit = defineKit({
    name: 'guide',
    version: '1.0.0',
    parts: [
      tool('look', {
        about: 'Looks.',
        effect: 'read',
        run: async (_, call) => String((await call.use(index)).number),
      }),
      tool('hold', {
        about: 'Looks for long.',
        effect: 'read',
        input: z.object({}),
        run: async (_, call) => {
          const { number } = await call.use(index)
          log.push(`held ${number}`)
          await held
          return String(number)
        },
      }),
    ],
  })
  return { kit, release }
}
const until = async (isSo: () => boolean) => {
  for (let tries = 0; !isSo() && tries < 500; tries++) await new Promise((go) => setTimeout(go, 20))
  expect(isSo()).toBe(true)
}

test('a shared connection is reopened, and the old one is closed after the calls that use it', async () => {
  const log: string[] = []
  const { kit, release } = kitWith(log)
  const session = await RawSession.open(kit)
  const call = (name: string) => session.ask('tools/call', { name, arguments: {} })
  const holding = call('hold')
  await until(() => log.includes('held 1'))
  await until(() => log.includes('open 2'))
  expect((await call('look')).result.content[0].text).not.toBe('1')
  expect(log).not.toContain('close 1')
  release()
  expect((await holding).result.content[0].text).toBe('1')
  await until(() => log.includes('close 1'))
  await session.running.close()
  const opened = log.filter((line) => line.startsWith('open')).length
  expect(log.filter((line) => line.startsWith('close'))).toHaveLength(opened)
})

test('a connection that cannot be reopened is kept, and the failure is logged', async () => {
  const log: string[] = []
  let isBroken = false
  const { kit } = kitWith(log, 1000, async () => {
    if (isBroken) throw new Error('the shelf is empty')
  })
  const session = await RawSession.open(kit)
  await session.ask('tools/call', { name: 'look', arguments: {} })
  isBroken = true
  await until(() => session.reports.length > 0)
  expect(session.reports[0]).toStrictEqual({
    level: 'warning',
    text: 'index could not be refreshed, the previous one stays in use: the shelf is empty',
  })
  const answer = await session.ask('tools/call', { name: 'look', arguments: {} })
  expect(answer.result.content[0].text).toBe('1')
  await session.running.close()
})

test('processes with a store in Redis refresh together', async () => {
  const redis = await redisServer()
  const logs: string[][] = [[], []]
  const services = await Promise.all(
    logs.map((log) => serveHttp(kitWith(log, 1500).kit, { store: redisStore(redis.url), report: () => {} })),
  )
  for (const { url } of services) {
    while ((await fetch(new URL('/health/ready', url))).status !== 200)
      await new Promise((go) => setTimeout(go, 20))
    const link = await connect(url)
    await link.call('look')
    await link.close()
  }
  await until(() => logs.every((log) => log.includes('open 2')))
  await Promise.all(services.map((service) => service.close()))
  await redis.remove()
})

test.each([
  { name: '', everyMs: 5000 },
  { name: 'a b', everyMs: 5000 },
  { name: 'index', everyMs: 10 },
  { name: 'index', everyMs: Number.NaN },
])('%j is not a valid refresh option', (refresh) => {
  expect(() => shared(() => 1, undefined, { refresh })).toThrow(/refresh\.(name|everyMs)/)
})

test.each([1000, 2 ** 31 - 1])('a refresh each %i ms is valid, and nothing beyond', (everyMs) => {
  const made = (ms: number) => shared(() => 1, undefined, { refresh: { name: 'index', everyMs: ms } })
  expect(() => made(everyMs)).not.toThrow()
  expect(() => made(everyMs === 1000 ? 999 : everyMs + 1)).toThrow(/refresh\.everyMs/)
})
