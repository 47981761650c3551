import { jest } from '@jest/globals'
import { defineKit, layer, type Part, resource, shared, template, tool, view } from 'jexo'
import { Openers } from '../../src/engine/openers.js'
import { type Opening, SharedThings } from '../../src/kit/shared.js'
import { RawSession } from '../support/raw-session.js'

const about = 'x'
const run = () => 'x'
const t = (name: string, more: object = {}): Part => tool(name, { about, effect: 'read', run, ...more } as never)
const kitOf = (parts: readonly Part[], more: object = {}) => defineKit({ name: 'k', version: '1', parts, ...more })
const names = (running: { index: { tools: ReadonlyMap<string, unknown> } }) => [...running.index.tools.keys()]
const tick = () => new Promise(setImmediate)

describe('a running kit', () => {
  test('introduces itself with the fields that the kit has', () => {
    const { implementation } = new RawSession(kitOf([])).running
    expect(implementation).toStrictEqual({ name: 'k', version: '1' })
    const more = { title: 'K', about: 'A kit.', websiteUrl: 'https://k.example', icons: [{ src: 'data:,x' }] }
    expect(new RawSession(kitOf([], more)).running.implementation).toStrictEqual({
      ...{ name: 'k', version: '1', title: 'K', description: 'A kit.' },
      ...{ websiteUrl: 'https://k.example', icons: more.icons },
    })
  })

  test('loads the validator once, and only for plain schemas', async () => {
    let count = 0
    const prepare = () => {
      count++
      return () => []
    }
    const validator = { prepare }
    const warmed = async (more: object) => {
      count = 0
      const { running } = new RawSession(kitOf([t('a', more), t('b')]), { validator: validator as never })
      running.warm()
      running.warm()
      await new Promise((go) => setTimeout(go, 5))
      return count
    }
    const plain = { type: 'object', properties: {} }
    expect(await warmed({})).toBe(0)
    expect(await warmed({ input: plain })).toBe(1)
    expect(await warmed({ output: plain })).toBe(1)
    const failing = { prepare: () => Promise.reject(new Error('no')) }
    new RawSession(kitOf([t('a', { input: plain })]), { validator: failing as never }).running.warm()
    await new Promise((go) => setTimeout(go, 5))
  })

  test('is exchanged: sessions hear of it, and shared connections of the old kit are closed after its calls', async () => {
    const events: string[] = []
    const scale = shared(
      () => 'one',
      () => void events.push('closed'),
    )
    let release = (_: string) => {}
    const held = new Promise<string>((resolve) => (release = resolve))
    const hold = tool('hold', {
      about,
      effect: 'read',
      run: async (_, call) => (await call.use(scale)) + (await held),
    })
    const session = await RawSession.open(kitOf([hold], { layers: [] }))
    const { running } = session
    const calling = session.ask('tools/call', { name: 'hold' })
    await tick()
    const broken = shared(
      () => 'two',
      () => Promise.reject(new Error('stuck')),
    )
    const next = kitOf([tool('use', { about, effect: 'read', run: (_, call) => call.use(broken) })])
    running.exchange(next)
    expect(running.kit).toBe(next)
    expect(session.methods()).toStrictEqual(
      ['tools', 'resources', 'prompts'].map((list) => `notifications/${list}/list_changed`),
    )
    await tick()
    expect(events).toStrictEqual([])
    release('!')
    expect((await calling).result.content[0].text).toBe('one!')
    await tick()
    expect(events).toStrictEqual(['closed'])
    await session.ask('tools/call', { name: 'use' })
    next.replace([t('other')])
    expect(names(running)).toStrictEqual(['other'])
    running.exchange(kitOf([]))
    await tick()
    await tick()
    expect(session.reports).toStrictEqual([{ level: 'warning', text: 'a shared connection did not close: stuck' }])
    next.replace([t('late')])
    expect(names(running)).toStrictEqual([])
  })

  test('is not exchanged for one whose settings are missing', async () => {
    const { running } = new RawSession(kitOf([t('a')]))
    expect(() => running.exchange(kitOf([t('b')], { settings: { KEY: { about: 'Key.' } } }))).toThrow(/KEY/)
    expect(names(running)).toStrictEqual(['a'])
  })

  test('tells sessions of changes in other processes, and other processes of its own', async () => {
    const heard: unknown[] = []
    const hearing = layer('hear', (_call, next) => next(), { onResourceUpdated: (uri) => void heard.push(uri) })
    const session = await RawSession.open(
      kitOf([resource('a://b', { name: 'b', about, read: run })], {
        layers: [hearing, layer('other', (_call, next) => next())],
      }),
    )
    const { running } = session
    running.listsChangedElsewhere(false)
    expect(session.methods()).toStrictEqual(['notifications/resources/list_changed'])
    running.listsChangedElsewhere(true)
    expect(session.methods()).toHaveLength(4)
    expect(await running.countSessions()).toBe(1)
    const told: unknown[] = []
    running.reach = {
      resourceUpdated: (...update: unknown[]) => void told.push(update),
      listsChanged: (lists: unknown) => void told.push(lists),
      countSessions: async () => 7,
      repeat: () => false,
    } as never
    expect(await running.countSessions()).toBe(7)
    running.resourceUpdated('a://b')
    running.resourceUpdated('a://b', true)
    running.kit.replace([])
    expect(told).toStrictEqual([
      ['a://b', false],
      ['a://b', true],
      ['tools', 'resources', 'prompts'],
    ])
    expect(heard).toStrictEqual(['a://b', 'a://b'])
    running.reach = { countSessions: () => Promise.reject(new Error('no store')) } as never
    expect(await running.countSessions()).toBe(1)
    running.unshare()
    expect([running.reach, running.sharing, running.counters]).toStrictEqual([undefined, undefined, undefined])
  })

  test('counts for each layer by its name and place', () => {
    const twice = [1, 2].map(() => layer('limit', (_call, next) => next()))
    const { running } = new RawSession(kitOf([t('a', { layers: [twice[1]] })], { layers: [twice[0]] }))
    running.share({ take: () => {} } as never, { on: () => {} } as never, {} as never)
    expect(twice.map((one) => running.counters?.nameOf(one as never))).toStrictEqual(['limit 0', 'limit 1'])
  })

  test('opens sources at its start, once, and those of a subscribed resource', async () => {
    const opened: string[] = []
    const source = (name: string, atStart: boolean) => shared(() => opened.push(name), undefined, { atStart })
    const [early, late, other] = [source('early', true), source('late', false), source('other', false)]
    const parts = [
      t('a', { source: early }),
      resource('a://b', { name: 'b', about, read: run, source: late } as never),
      template('c://{d}', { name: 'd', about, read: run, source: other } as never),
      resource('a://none', { name: 'none', about, read: run }),
    ]
    const { running } = new RawSession(kitOf(parts))
    running.kit.replace([...parts, t('more')])
    expect(opened).toStrictEqual([])
    running.start()
    running.start()
    for (const uri of ['a://none', 'x://y', 'a://b', 'c://e']) running.keepOpenFor(uri)
    await tick()
    expect(opened).toStrictEqual(['early', 'late', 'other'])
    const again = source('again', true)
    running.kit.replace([t('new', { source: again })])
    await tick()
    expect(opened.at(-1)).toBe('again')
    await running.close()
    expect(running.isClosing).toBe(true)
    expect(running.sessions.size).toBe(0)
  })

  test('lets a source notify hosts, log, and replace its parts in place', async () => {
    let opening: Opening | undefined
    const feed = shared((given) => {
      opening = given as Opening
    })
    const [first, placeholder, last] = [t('first'), t('placeholder', { source: feed }), t('last')]
    const session = await RawSession.open(kitOf([first, placeholder, last] as Part[]))
    const { running } = session
    const told: unknown[] = []
    running.reach = {
      listsChanged: (lists: unknown) => told.push(lists),
      resourceUpdated: (...all: unknown[]) => told.push(all),
    } as never
    running.keepOpen(feed)
    await tick()
    opening?.exchange([t('unknown')], [t('nothing')])
    expect(names(running)).toStrictEqual(['first', 'placeholder', 'last'])
    opening?.exchange([placeholder as Part, t('unknown')], [t('one'), t('two')])
    expect(running.kit.parts.map(({ name }) => name)).toStrictEqual(['first', 'one', 'two', 'last'])
    opening?.report('warning', 'slow')
    opening?.resourcesChanged()
    opening?.resourceUpdated('a://b')
    expect(session.reports).toStrictEqual([{ level: 'warning', text: 'slow' }])
    expect(session.methods().at(-1)).toBe('notifications/resources/list_changed')
    expect(told).toStrictEqual([['tools', 'resources', 'prompts'], ['resources'], ['a://b', true]])
  })

  test('leaves a shared connection open while any function that uses it runs', async () => {
    const closed: string[] = []
    const scale = shared(
      () => 'one',
      () => void closed.push('closed'),
    )
    const { running } = new RawSession(kitOf([]))
    await running.shared.use(scale)
    const labels: string[] = []
    expect(running.carry('sync', () => 5)).toBe(5)
    expect(() =>
      running.carry('fails', () => {
        throw new Error('no')
      }),
    ).toThrow('no')
    let release = () => {}
    const carried = running.carry('later', () => new Promise<void>((resolve) => (release = resolve)))
    const { shared: before } = running
    running.exchange(kitOf([]))
    await tick()
    expect(closed).toStrictEqual([])
    release()
    await carried
    await before.closeWhenIdle()
    expect(closed).toStrictEqual(['closed'])
    const inCall = (label: string, work: () => unknown) => {
      labels.push(label)
      return work()
    }
    const other = new RawSession(kitOf([]), { inCall: inCall as never })
    expect(other.running.carry('sync', () => 5)).toBe(5)
    expect(labels).toStrictEqual(['sync'])
  })
})

describe('the parts that are served', () => {
  const card = view('ui://k/card', { about, page: '<p>x</p>' })
  const more = t('more')
  const added = layer('adds', (_call, next) => next(), { parts: [more] })
  const plain = layer('plain', (_call, next) => next())

  test('are those of the kit and of its layers, unless layers are left out', () => {
    const kit = kitOf([t('a', { layers: [added] }), t('b')], { layers: [plain] })
    const served = (options: object = {}) => {
      const { running } = new RawSession(kit, options)
      return [
        names(running).join(),
        running.index.tools
          .get('a')
          ?.layers.map(({ name }) => name)
          .join(),
      ]
    }
    expect(served()).toStrictEqual(['a,b,more', 'plain,adds'])
    expect(served({ withoutLayers: true })).toStrictEqual(['a,b', ''])
    expect(served({ layers: [added] })).toStrictEqual(['a,b,more', 'adds,plain,adds'])
    expect(served({ choose: (parts: Part[]) => parts.slice(1) })).toStrictEqual(['b', undefined])
  })

  test('have views for hosts that show them, and a selection is computed once', () => {
    const { running } = new RawSession(kitOf([t('a', { view: card }), t('b', { forPages: 'only' }), t('c')]))
    expect(running.hasViews).toBe(true)
    const shown = (only: string | undefined, showsViews: boolean) => running.indexFor(only, undefined, showsViews)
    const keys = (index: { tools: Map<string, unknown>; resources: Map<string, unknown> }) => [
      ...index.tools.keys(),
      ...index.resources.keys(),
    ]
    expect(keys(shown(undefined, true))).toStrictEqual(['a', 'b', 'c', 'ui://k/card'])
    expect(shown(undefined, true)).toBe(running.index)
    expect(keys(shown(undefined, false))).toStrictEqual(['a', 'c'])
    expect(keys(shown('a', true))).toStrictEqual(['a', 'ui://k/card'])
    expect(keys(shown('c,b', false))).toStrictEqual(['c'])
    expect(shown('c', false)).toBe(shown('c', false))
    const first = shown('c', false)
    for (let at = 0; at < 100; at++) shown(`c,x${at}`, false)
    expect(shown('c', false)).not.toBe(first)
    expect(new RawSession(kitOf([t('c')])).running.hasViews).toBe(false)
    expect(new RawSession(kitOf([t('c', { forPages: 'too' })])).running.hasViews).toBe(true)
    expect(new RawSession(kitOf([card])).running.hasViews).toBe(true)
  })
})

test('a connection that fails is opened again, and the failure and the recovery are logged once', async () => {
  jest.useFakeTimers({ doNotFake: ['setImmediate', 'queueMicrotask', 'nextTick'] })
  try {
    const logged: string[] = []
    let failures = 3
    let attempts = 0
    const scale = shared(() => {
      attempts++
      if (failures-- > 0) throw new Error('no scale')
      return 'scale'
    })
    const things = new SharedThings({} as never)
    const openers = new Openers((level, text) => void logged.push(`${level}: ${text}`))
    openers.keepOpen(things, scale)
    openers.keepOpen(things, scale)
    for (const ms of [0, 999, 1, 1999, 1, 3999, 1]) {
      jest.advanceTimersByTime(ms)
      await tick()
    }
    expect(attempts).toBe(4)
    expect(logged).toStrictEqual([
      'warning: no scale. Its parts report this until it connects.',
      'info: a shared connection that failed earlier is now open',
    ])
    const never = shared((): string => {
      attempts++
      throw new Error('gone')
    })
    openers.keepOpen(things, never)
    await tick()
    openers.close()
    jest.advanceTimersByTime(100_000)
    await tick()
    openers.keepOpen(
      things,
      shared(() => attempts++),
    )
    await tick()
    expect(attempts).toBe(5)
  } finally {
    jest.useRealTimers()
  }
})

describe('a session', () => {
  test('names its requests in flight, and is idle without any', async () => {
    let release = (_: unknown) => {}
    const held = new Promise((resolve) => {
      release = resolve
    })
    const parts = [
      t('hold', { run: () => held }),
      resource('a://b', { name: 'b', about, read: () => held as never }),
    ]
    const session = await RawSession.open(kitOf(parts))
    expect(session.engine.isIdle).toBe(true)
    const asked = [session.ask('tools/call', { name: 'hold' }), session.ask('resources/read', { uri: 'a://b' })]
    await tick()
    expect(session.engine.underWay).toStrictEqual(['tool hold', 'resource a://b'])
    expect(session.engine.isIdle).toBe(false)
    release('x')
    await Promise.all(asked)
    expect(session.engine.isIdle).toBe(true)
    expect(session.engine.ended.aborted).toBe(false)
  })

  test('tells listeners that roots changed until they are removed', async () => {
    const { engine } = await RawSession.open(kitOf([]))
    engine.rootsChanged()
    let count = 0
    const remove = engine.onRootsChanged(() => count++)
    engine.rootsChanged()
    remove()
    engine.rootsChanged()
    expect(count).toBe(1)
  })

  test.each(['close', 'handOver'] as const)(
    'ends with %s: nothing more is sent, and waiting code learns it',
    async (way) => {
      const closed: string[] = []
      const observer = {
        message: () => {},
        closed: (_session: unknown, why: string) => void closed.push(why),
        upstream: () => {},
      }
      const session = await RawSession.open(kitOf([]), '2025-11-25', { observer: observer as never })
      const { engine, running } = session
      const { ended } = engine
      engine[way]('over')
      engine.close('again')
      expect(closed).toStrictEqual(way === 'close' ? ['over'] : [])
      expect([ended.aborted, engine.ended.aborted, running.sessions.size]).toStrictEqual([true, true, 0])
      const before = session.sent.length
      session.give({ jsonrpc: '2.0', id: 99, method: 'ping' })
      running.listsChangedElsewhere(true)
      await tick()
      expect(session.sent).toHaveLength(before)
    },
  )

  test('hears nothing of changes before it is ready', async () => {
    const session = new RawSession(kitOf([]))
    session.running.listsChangedElsewhere(true)
    session.running.listsChangedElsewhere(false)
    expect(session.sent).toStrictEqual([])
  })
})
