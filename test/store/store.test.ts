import { memoryStore } from '../../src/store/memory/memory-store.js'
import { redisStore } from '../../src/store/redis/redis-store.js'
import type { Member, Store, StreamMail } from '../../src/store/store.js'
import { type RedisServer, redisServer } from '../support/redis.js'

let redis: RedisServer
const limits = { mostReaders: 3, mostWaiting: 4 }
const room = { most: 100, spareMs: 0 }

beforeAll(async () => {
  redis = await redisServer()
})
afterAll(async () => redis.remove())

/** The messages that a process has received, and a way to wait for them. */
interface Heard {
  member: Member
  mail: Record<string, unknown>[]
  until(count: number): Promise<void>
}

let servers = 0
const makers: [string, () => Store][] = [
  ['memory', () => memoryStore()],
  ['redis', () => redisStore(redis.url)],
]

describe.each(makers)('a store in %s', (_name, make) => {
  let store: Store
  let a: Heard
  let b: Heard
  const joined = async (name: string): Promise<Heard> => {
    const mail: Record<string, unknown>[] = []
    let member: Member | undefined
    await new Promise<void>((resolve, reject) => {
      const hear = (one: Record<string, unknown>) => void mail.push(one)
      member = store.join(name, {
        hear,
        connected: () => resolve(),
        lost: (reason) => reject(new Error(reason)),
        warn: () => {},
      })
    })
    const until = async (count: number) => {
      for (let tries = 0; mail.length < count && tries < 500; tries++) await new Promise((go) => setTimeout(go, 10))
      expect(mail).toHaveLength(count)
    }
    return { member: member as unknown as Member, mail, until }
  }
  beforeEach(async () => {
    store = make()
    const name = `apiary-${++servers}`
    a = await joined(name)
    b = await joined(name)
  })
  afterEach(async () => {
    await a.member.leave()
    await b.member.leave()
    await store.close()
  })

  const open = (id: string, state = 'ready 1') => a.member.sessions.open(id, state, 60_000, room)
  const texts = (heard: Heard) =>
    (heard.mail as unknown as StreamMail[]).map(({ sequence, data }) => `${sequence} ${data}`)

  test('delivers messages to one process or to all others', async () => {
    expect(await a.member.tell(b.member.id, { kind: 'one' })).toBe(true)
    expect(await a.member.tell('nobody', { kind: 'one' })).toBe(false)
    await b.until(1)
    await a.member.tellOthers({ kind: 'all' })
    await b.until(2)
    expect(b.mail.map(({ kind }) => kind)).toStrictEqual(['one', 'all'])
    expect(a.mail).toStrictEqual([])
    expect(await a.member.isAlive(b.member.id)).toBe(true)
    await b.member.leave()
    expect(await a.member.isAlive(b.member.id)).toBe(false)
  })

  test('shows a session to all processes until it ends', async () => {
    await open('s1', 'new 1')
    expect(await b.member.sessions.read('s1', 60_000)).toBe('new 1')
    expect(await b.member.sessions.exchange('s1', 'new 1', 'ready 2', 60_000)).toBe('ready 2')
    expect(await a.member.sessions.exchange('s1', 'new 1', 'ready 3', 60_000)).toBe('ready 2')
    expect(await a.member.sessions.all()).toStrictEqual(['s1'])
    expect(await a.member.sessions.count()).toBe(1)
    expect(await b.member.sessions.end('s1')).toBe(true)
    expect(await b.member.sessions.end('s1')).toBe(false)
    expect(await a.member.sessions.read('s1', 60_000)).toBeUndefined()
    expect(await a.member.sessions.exchange('s1', 'ready 2', 'ready 4', 60_000)).toBeUndefined()
  })

  test('ends a session that is never initialized, even if it is read; an initialized one lives on', async () => {
    // Long enough for a busy machine to read in time.
    const [shortMs, longMs] = [150, 3000]
    await a.member.sessions.open('late', 'new', shortMs, room)
    await a.member.sessions.open('unused', 'ready 1', shortMs, room)
    await a.member.sessions.open('used', 'ready 1', longMs, room)
    const until = Date.now() + 4000
    while (Date.now() < until) {
      await b.member.sessions.read('late', shortMs)
      await b.member.sessions.read('used', longMs)
      await new Promise((go) => setTimeout(go, 50))
    }
    expect(await a.member.sessions.all()).toStrictEqual(['used'])
    expect(await a.member.sessions.count()).toBe(1)
  })

  test('enforces one session limit for all processes; unused sessions make room', async () => {
    const tight = { most: 2, spareMs: 0 }
    await a.member.sessions.open('s1', 'ready 1', 60_000, tight)
    await b.member.sessions.open('s2', 'ready 1', 120_000, tight)
    expect(await a.member.sessions.open('s3', 'ready 1', 60_000, tight)).toStrictEqual({ isOpen: false })
    expect(await a.member.sessions.open('s3', 'ready 1', 60_000, { most: 2, spareMs: 90_000 })).toStrictEqual({
      isOpen: true,
      ended: 's1',
    })
    expect((await a.member.sessions.all()).sort()).toStrictEqual(['s2', 's3'])
  })

  test('shares subscriptions, which end with their session', async () => {
    await open('s1')
    await open('s2')
    await a.member.sessions.subscribe('s1', 'hives://ML-01', a.member.id, 60_000)
    await b.member.sessions.subscribe('s2', 'hives://ML-01', b.member.id, 60_000)
    expect((await b.member.sessions.subscribers('hives://ML-01')).sort()).toStrictEqual(['s1', 's2'])
    expect(await a.member.sessions.subscribers('hives://ML-01', a.member.id)).toStrictEqual(['s1'])
    expect(await b.member.sessions.subscriptions('s2')).toStrictEqual(['hives://ML-01'])
    await b.member.leave()
    expect((await a.member.sessions.subscribers('hives://ML-01', a.member.id)).sort()).toStrictEqual(['s1', 's2'])
    await a.member.sessions.unsubscribe('s1', 'hives://ML-01')
    await a.member.sessions.end('s2')
    expect(await a.member.sessions.subscribers('hives://ML-01')).toStrictEqual([])
  })

  test('keeps messages for a standing stream, and delivers them to its reader', async () => {
    await open('s1')
    for (const [at, data] of ['1', '2', '2', '3', '4', '5'].entries())
      await a.member.streams.deliver('s1', data, at + 1, limits)
    // Sequence numbers increase: this one is a repetition.
    await a.member.streams.deliver('s1', 'again', 6, limits)
    const first = await b.member.streams.stand('s1', 'x1', true, limits)
    expect(first?.map(({ sequence, data }) => `${sequence} ${data}`)).toStrictEqual([
      '1 ',
      '2 2',
      '3 3',
      '4 4',
      '5 5',
    ])
    await a.member.streams.deliver('s1', '6', 7, limits)
    await b.until(1)
    expect(texts(b)).toStrictEqual(['6 6'])
    // The newest stream with a reader gets the message.
    await a.member.streams.stand('s1', 'x2', false, limits)
    await b.member.streams.deliver('s1', '7', 3, limits)
    await a.until(1)
    expect(texts(a)).toStrictEqual(['1 7'])
    await a.member.streams.leave('s1', 'x2')
    await a.member.streams.deliver('s1', '8', 9, limits)
    await b.until(2)
    expect(texts(b)).toStrictEqual(['6 6', '7 8'])
  })

  test('keeps messages for a process that has died for its successor', async () => {
    await open('s1')
    await b.member.streams.stand('s1', 'x1', false, limits)
    await a.member.streams.deliver('s1', '1', 5, limits)
    await b.member.leave()
    await a.member.streams.deliver('s1', '2', 6, limits)
    expect(await a.member.streams.resume('s1', 'x1', 0, limits)).toMatchObject([{ data: '1' }, { data: '2' }])
    expect(await a.member.streams.resume('s1', 'x9', 0, limits)).toBeUndefined()
  })

  test('delivers nothing to a session that is not initialized', async () => {
    await open('s1', 'new')
    expect(await a.member.streams.deliver('s1', '1', 7, limits)).toBe(false)
    expect(await a.member.streams.deliver('s9', '1', 8, limits)).toBe(false)
  })

  test('lets another process continue a stream', async () => {
    await open('s1')
    for (const sequence of [1, 2, 3])
      expect(await a.member.streams.append('s1', 'p1', { sequence, data: `d${sequence}` })).toBeUndefined()
    expect(await b.member.streams.resume('s1', 'p1', 1, limits)).toStrictEqual([
      { sequence: 2, data: 'd2' },
      { sequence: 3, data: 'd3' },
    ])
    const last = { sequence: 4, data: 'd4', isLast: true }
    expect(await a.member.streams.append('s1', 'p1', last)).toBe(b.member.id)
    await b.until(1)
    expect(b.mail).toStrictEqual([expect.objectContaining({ kind: 'event', session: 's1', stream: 'p1', ...last })])
    expect(await a.member.streams.after('s1', 'p1', 3)).toStrictEqual([last])
  })

  test('bounds the number of streams and their events', async () => {
    await open('s1')
    for (const stream of ['x1', 'x2', 'x3'])
      expect(await a.member.streams.stand('s1', stream, false, limits)).toStrictEqual([])
    expect(await b.member.streams.stand('s1', 'x4', false, limits)).toBeUndefined()
    const large = 'h'.repeat(1_500_000)
    for (let sequence = 1; sequence <= 5; sequence++)
      await a.member.streams.append('s1', 'p1', { sequence, data: large })
    expect((await a.member.streams.after('s1', 'p1', 0)).map(({ sequence }) => sequence)).toStrictEqual([4, 5])
    for (let sequence = 6; sequence <= 300; sequence++)
      await a.member.streams.append('s1', 'p1', { sequence, data: '' })
    expect(await a.member.streams.after('s1', 'p1', 0)).toHaveLength(256)
  })

  test('changes a task for one process at a time, and lists tasks for their owner', async () => {
    const { tasks } = a.member
    for (const id of ['t1', 't2', 't3'])
      expect(await tasks.create(id, `${id} working`, 'Ida', 60_000, 4)).toBe(true)
    expect(await tasks.create('t4', 'of another', 'Bo', 60_000, 4)).toBe(true)
    expect(await tasks.create('t5', 'too many', 'Bo', 60_000, 4)).toBe(false)
    expect(await b.member.tasks.exchange('t1', 't1 working', 't1 done')).toBe(true)
    expect(await tasks.exchange('t1', 't1 working', 't1 failed')).toBe(false)
    expect(await tasks.read('t1')).toBe('t1 done')
    const page = await b.member.tasks.list('Ida', 0, 2)
    expect(page.tasks.map(({ record }) => record)).toStrictEqual(['t1 done', 't2 working'])
    expect((await b.member.tasks.list('Ida', page.next ?? 0, 2)).tasks.map(({ id }) => id)).toStrictEqual(['t3'])
    expect(await tasks.read('t9')).toBeUndefined()
  })

  test('shares counters, which expire', async () => {
    const answers = []
    for (const one of [a, b, a]) answers.push(await one.member.take('Ida', 2, 3000))
    expect(answers.map(({ isAllowed }) => isAllowed)).toStrictEqual([true, true, false])
    const resetsInMs = answers[2]?.resetsInMs ?? 0
    expect(resetsInMs).toBeGreaterThan(0)
    expect((await a.member.take('Bo', 2, 3000)).isAllowed).toBe(true)
    await new Promise((go) => setTimeout(go, resetsInMs + 50))
    expect((await b.member.take('Ida', 2, 3000)).isAllowed).toBe(true)
  })
})
