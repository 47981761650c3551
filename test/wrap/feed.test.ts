import { createServer, type Server, type Socket } from 'node:net'
import { Aedes } from 'aedes'
import { defineKit } from 'jexo'
import {
  type FeedSink,
  mqttSource,
  type PushingSource,
  planFeed,
  sharedFeed,
  type WrapFeedOptions,
  wrapFeed,
} from 'jexo/feed'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import type { Report } from '../../src/engine/running-options.js'
import { patternsOf, topicPattern } from '../../src/wrap/feed/topics.js'
import { freePort } from '../support/databases.js'

/** A broker that can be stopped and restarted. */
class Broker {
  readonly port: number
  #broker: Aedes | undefined
  #server: Server | undefined
  readonly #sockets = new Set<Socket>()
  connections = 0

  constructor(port: number) {
    this.port = port
  }
  get url(): string {
    return `mqtt://127.0.0.1:${this.port}`
  }
  async start(): Promise<void> {
    const broker = await Aedes.createBroker()
    this.#broker = broker
    this.#server = createServer((socket) => {
      this.connections++
      this.#sockets.add(socket)
      broker.handle(socket)
    })
    await new Promise<void>((resolve) => this.#server?.listen(this.port, '127.0.0.1', resolve))
  }
  say(topic: string, message: unknown): Promise<void> {
    const payload = Buffer.from(typeof message === 'string' ? message : JSON.stringify(message))
    return new Promise((resolve) =>
      this.#broker?.publish({ cmd: 'publish', topic, payload, qos: 0, dup: false, retain: true }, () => resolve()),
    )
  }
  async stop(): Promise<void> {
    for (const socket of this.#sockets) socket.destroy()
    await new Promise<void>((resolve) => this.#broker?.close(() => resolve()))
    await new Promise<void>((resolve) => this.#server?.close(() => resolve()))
  }
}

const endings: (() => Promise<unknown>)[] = []
afterEach(async () => {
  for (const end of endings.splice(0).reverse()) await end()
})

async function broker(): Promise<Broker> {
  const made = new Broker(await freePort())
  await made.start()
  endings.push(() => made.stop())
  return made
}

const channels = {
  weight: { topic: 'scales/{hive}/weight', about: 'Weight of a hive', unit: 'kg', field: 'kg', timeField: 'at' },
  state: { topic: 'scales/{hive}/state', labels: { 0: 'fine', 1: 'low battery' } },
  wind: { topic: 'wind' },
}

async function linkTo(
  source: string | PushingSource,
  more: WrapFeedOptions = {},
  reports: Report[] = [],
): Promise<Link> {
  const parts = await wrapFeed(source, { name: 'scales', channels, updateEveryMs: 50, ...more })
  const link = await connect(defineKit({ name: 'k', version: '1', parts }), {
    environment: {},
    report: (report: Report) => void reports.push(report),
  })
  endings.push(() => link.close())
  return link
}
const read = async (link: Link, uri: string) => JSON.parse((await link.read(uri)).contents[0]?.text ?? '')

/** Waits until a condition holds; the time limit of the test ends it. */
async function until<T>(look: () => T | Promise<T>, holds: (found: T) => boolean): Promise<T> {
  for (;;) {
    const found = await look()
    if (holds(found)) return found
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}

test('the latest value and a bounded history are resources with label, unit and time', async () => {
  const scales = await broker()
  await scales.say('scales/ML-01/weight', { kg: 41.2, at: '2026-06-02T06:00:00Z' })
  await scales.say('scales/ML-02/state', 1)
  const link = await linkTo(scales.url, { history: 3 })
  expect(await read(link, 'scales://weight/ML-01')).toStrictEqual({
    hive: 'ML-01',
    value: 41.2,
    at: '2026-06-02T06:00:00.000Z',
    unit: 'kg',
    ageMs: expect.any(Number),
    isStale: false,
  })
  expect(await read(link, 'scales://state/ML-02')).toMatchObject({ value: 1, label: 'low battery' })
  for (const kg of [41.3, 41.4, 41.5]) await scales.say('scales/ML-01/weight', { kg, at: 1780380000 })
  const { readings } = await until(
    () => read(link, 'scales://weight/ML-01/history'),
    (found) => found.readings.at(-1).value === 41.5,
  )
  expect(readings.map(({ value }: { value: number }) => value)).toStrictEqual([41.3, 41.4, 41.5])
  expect((await link.resources()).map(({ uri }) => uri)).toStrictEqual(
    expect.arrayContaining(['scales://wind', 'scales://status', 'scales://weight/ML-01', 'scales://state/ML-02']),
  )
  const typed = await link.complete({ template: 'scales://weight/{hive}' }, { name: 'hive', value: 'ml' })
  expect(typed.values).toStrictEqual(['ML-01'])
  const all = await link.call('latest_scales_weight', {})
  expect(all.structuredContent).toStrictEqual({
    readings: [expect.objectContaining({ hive: 'ML-01', value: 41.5, isStale: false })],
  })
  const none = await link.call('latest_scales_weight', { hive: 'ML-09' })
  expect(none).toMatchObject({
    isError: true,
    content: [{ text: 'No reading has arrived yet of weight ML-09. There are readings of ML-01.' }],
  })
})

test('subscribers are notified at most at the set rate, and always of the last change', async () => {
  const scales = await broker()
  await scales.say('wind', 0)
  const link = await linkTo(scales.url, { updateEveryMs: 300 })
  const heard: string[] = []
  link.on('resourceUpdated', ({ uri }) => heard.push(uri))
  await link.subscribe('scales://wind')
  await read(link, 'scales://wind')
  const began = Date.now()
  for (let at = 1; at <= 200; at++) await scales.say('wind', at)
  await until(
    () => read(link, 'scales://wind'),
    ({ value }) => value === 200,
  )
  const count = heard.length
  await until(
    () => heard.length,
    (now) => now > count || Date.now() - began > 1000,
  )
  expect(heard.length).toBeGreaterThan(0)
  expect(heard.length).toBeLessThanOrEqual(2 + (Date.now() - began) / 300)
})

test('a lost connection is shown, reported and reopened; one connection serves all sessions', async () => {
  const scales = await broker()
  await scales.say('scales/ML-01/weight', { kg: 41.2 })
  const reports: Report[] = []
  const parts = await wrapFeed(scales.url, { name: 'scales', channels, updateEveryMs: 50 })
  const kit = defineKit({ name: 'k', version: '1', parts })
  const { serveHttp } = await import('jexo/node')
  const service = await serveHttp(kit, {
    port: 0,
    environment: {},
    report: (report: Report) => void reports.push(report),
  })
  endings.push(() => service.close())
  expect(scales.connections).toBe(0)
  const links = [await connect(service.url), await connect(service.url)]
  for (const link of links) {
    endings.push(() => link.close())
    await link.subscribe('scales://status')
    expect(await read(link, 'scales://weight/ML-01')).toMatchObject({ value: 41.2, isStale: false })
  }
  expect(scales.connections).toBe(1)
  const [link] = links as [Link, Link]
  const told = new Promise<void>((resolve) => link.on('resourceUpdated', () => resolve()))
  await scales.stop()
  await told
  expect(await read(link, 'scales://status')).toMatchObject({ connection: { state: 'lost', losses: 1 } })
  expect(await read(link, 'scales://weight/ML-01')).toMatchObject({
    value: 41.2,
    isStale: true,
    connection: expect.stringMatching(/^lost since 20/),
  })
  const during = await link.call('latest_scales_weight', {})
  expect(during.structuredContent).toMatchObject({
    note: expect.stringMatching(/The connection has been lost since/),
  })
  await scales.start()
  await scales.say('scales/ML-01/weight', { kg: 42 })
  const back = await until(
    () => read(link, 'scales://weight/ML-01'),
    ({ value }) => value === 42,
  )
  expect(back).toMatchObject({ isStale: false })
  expect(reports.map(({ text }) => text)).toStrictEqual([
    expect.stringMatching(/scales:\/\/status: the connection was lost/),
    'scales://status: connected again',
  ])
})

test('an unreachable broker is an error of the call, and the next call tries again', async () => {
  const gone = new Broker(await freePort())
  const link = await linkTo(gone.url)
  const refused = await link.call('latest_scales_weight', {})
  expect(refused).toMatchObject({
    isError: true,
    content: [{ text: expect.stringMatching(/cannot be reached now; try again later/) }],
  })
  await gone.start()
  endings.push(() => gone.stop())
  await gone.say('scales/ML-01/weight', { kg: 1 })
  expect((await link.call('latest_scales_weight', {})).isError).toBeUndefined()
})

test('a series without new values becomes stale, and its subscribers are notified', async () => {
  let sink: FeedSink | undefined
  const source: PushingSource = {
    open(given) {
      sink = given
      given.push('wind', { speed: 3 })
      return () => {}
    },
  }
  const link = await linkTo(source, { staleAfterMs: 300 })
  expect(await read(link, 'scales://wind')).toMatchObject({ value: { speed: 3 }, isStale: false })
  const told = new Promise<void>((resolve) => link.on('resourceUpdated', () => resolve()))
  await link.subscribe('scales://wind')
  await told
  expect(await read(link, 'scales://wind')).toMatchObject({ isStale: true })
  sink?.push('wind', { speed: 4 }, '2026-06-02T06:00:00Z')
  expect(await read(link, 'scales://wind')).toMatchObject({
    value: { speed: 4 },
    isStale: false,
    at: '2026-06-02T06:00:00Z',
  })
})

test('a polled source is a feed, and its failures count as a lost connection', async () => {
  let round = 0
  const parts = await wrapFeed(
    {
      everyMs: 20,
      poll: () => {
        round++
        if (round > 2 && round < 6) throw new Error('the door is shut')
        return { wind: round }
      },
    },
    { name: 'station', channels: { wind: { topic: 'wind' } } },
  )
  const reports: Report[] = []
  const link = await connect(defineKit({ name: 'k', version: '1', parts }), {
    report: (report: Report) => void reports.push(report),
  })
  endings.push(() => link.close())
  const { value } = await until(
    () => read(link, 'station://wind'),
    (found) => found.value > 6,
  )
  expect(value).toBeGreaterThan(6)
  expect(await read(link, 'station://status')).toMatchObject({ connection: { state: 'connected', losses: 1 } })
  expect(reports[0]?.text).toContain('the door is shut')
})

test("an author's own tools use the same feed, and it is closed at the end", async () => {
  const scales = await broker()
  await scales.say('scales/ML-01/weight', { kg: 41.2 })
  const shared = sharedFeed(mqttSource(scales.url), { name: 'scales', channels })
  const { tool } = await import('jexo')
  const own = tool('own', {
    about: 'Reads.',
    effect: 'read',
    run: async (_input, call) => {
      const feed = await call.use(shared)
      await feed.until(() => feed.all('weight').length > 0, 2000, call.signal)
      return String(feed.latest('weight', { hive: 'ML-01' })?.value)
    },
  })
  const link = await connect(defineKit({ name: 'k', version: '1', parts: [own, ...(await wrapFeed(shared))] }))
  expect((await link.call('own')).content).toStrictEqual([{ type: 'text', text: '41.2' }])
  expect(await read(link, 'scales://weight/ML-01')).toMatchObject({ value: 41.2 })
  expect(scales.connections).toBe(1)
  await link.close()
})

test('the number of series is bounded; those without readings are dropped first', async () => {
  const source: PushingSource = {
    open(sink) {
      for (let at = 0; at < 500; at++) sink.push(`scales/${at}/weight`, at)
      return () => {}
    },
  }
  const link = await linkTo(source, { maxSeries: 10 })
  expect(await read(link, 'scales://weight/499')).toMatchObject({ value: 499 })
  expect((await read(link, 'scales://status')).channels[0]).toMatchObject({ series: 10 })
})

test('the total size of large readings is bounded; the oldest are dropped first', async () => {
  const large = 'x'.repeat(1_000_000)
  const source: PushingSource = {
    open(sink) {
      for (let at = 0; at < 120; at++) sink.push(`scales/${at % 60}/state`, { at, large })
      return () => {}
    },
  }
  const link = await linkTo(source)
  const { series } = (await read(link, 'scales://status')).channels[1]
  expect(series).toBeGreaterThan(40)
  expect(series).toBeLessThanOrEqual(50)
  expect((await read(link, 'scales://state/59')).value.at).toBe(119)
})

test.each([
  ['scales/ML-01/weight scales/ML-02/weight', 'scales/{scale}/weight'],
  ['a/1/x/2 a/1/x/2', 'a/1/x/2'],
  ['boxes/1/bees/7/t boxes/2/bees/8/t', 'boxes/{box}/bees/{bee}/t'],
])('%s becomes %s', (topics, pattern) => {
  expect(patternsOf([...new Set(topics.split(' '))])).toStrictEqual([pattern])
  for (const topic of topics.split(' ')) expect(topicPattern(pattern).match(topic)).toBeDefined()
})

test.each(['', 'a/{b}c', 'a/{b}/{b}', 'a/#/b', 'a+/b'])('the topic %j is refused', (topic) => {
  expect(() => planFeed('mqtt://x', { name: 'x', channels: { x: { topic } } })).toThrow(/is not a valid topic/)
})

test.each([
  ['ftp://x', {}, /not a supported kind of feed/],
  ['https://x', { topic: '{a}b' }, /is not a valid topic/],
  ['mqtt://x', { name: 'Big Name' }, /lower-case letters/],
  ['mqtt://x', { channels: {} }, /topics by name/],
])('%s with %j is refused', async (source, options, message) => {
  await expect(wrapFeed(source, { name: 'x', channels, ...options })).rejects.toThrow(message)
})
