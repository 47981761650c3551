import { defineKit, setting, shared, tool } from 'jexo'
import { maskFor } from '../../src/kit/settings.js'
import { SharedThings } from '../../src/kit/shared.js'
import { RawSession } from '../support/raw-session.js'

describe('settings', () => {
  const kit = defineKit({
    name: 'k',
    version: '1',
    settings: {
      KEY: setting({ about: 'The key.', secret: true }),
      PLACE: setting({ about: 'Where.' }),
      LEVEL: setting({ about: 'How.', default: 'low' }),
      EXTRA: setting({ about: 'More.', optional: true }),
    },
    parts: [
      tool('look', { about: 'x', effect: 'read', run: (_, call) => call.settings }),
      tool('leak', {
        about: 'x',
        effect: 'read',
        run: (_, call) => {
          call.log.error('with key', { key: call.settings.KEY })
          throw new Error(`no access with ${call.settings.KEY}`)
        },
      }),
    ],
  })

  test('that are missing are named together', () => {
    expect(() => new RawSession(kit)).toThrow(
      '2 settings are missing: KEY (The key); PLACE (Where); set them in the environment',
    )
    expect(() => new RawSession(kit, { environment: { KEY: 'x', PLACE: '' } })).toThrow(
      /a setting is missing: PLACE/,
    )
  })

  test('reach the call, with their defaults', async () => {
    const session = await RawSession.open(kit, '2025-11-25', { environment: { KEY: 'k', PLACE: 'p', OTHER: 'o' } })
    const { result } = await session.ask('tools/call', { name: 'look' })
    expect(JSON.parse(result.content[0].text)).toStrictEqual({ KEY: 'k', PLACE: 'p', LEVEL: 'low' })
  })

  test('that are secret are masked in logs and reports', async () => {
    const session = await RawSession.open(kit, '2025-11-25', { environment: { KEY: 'hush"hush', PLACE: 'p' } })
    await session.ask('tools/call', { name: 'leak' })
    const all = JSON.stringify([session.sent, session.reports])
    expect(all).toContain('••••')
    expect(all).not.toContain('hush')
  })
})

describe('a shared resource', () => {
  test('reports changes as seen by every process; a call reports them to the other processes', async () => {
    const feed = shared(({ resourceUpdated }) => ({ push: () => resourceUpdated('hives://ML-01') }))
    const kit = defineKit({
      name: 'k',
      version: '1',
      parts: [
        tool('push', {
          about: 'x',
          effect: 'read',
          run: async (_, call) => {
            ;(await call.use(feed)).push()
            call.resourceUpdated('hives://ML-02')
          },
        }),
      ],
    })
    const session = await RawSession.open(kit)
    const told: unknown[] = []
    session.running.reach = { resourceUpdated: (...update: unknown[]) => told.push(update) } as never
    await session.ask('tools/call', { name: 'push' })
    expect(told).toStrictEqual([
      ['hives://ML-01', true],
      ['hives://ML-02', false],
    ])
  })

  test('is opened once at first use, retried after a failure, and closed at the end', async () => {
    const events: string[] = []
    let isDown = true
    const store = shared(
      async () => {
        events.push('open')
        if (isDown) throw new Error('down')
        return { name: 'store' }
      },
      () => void events.push('close'),
    )
    const kit = defineKit({
      name: 'k',
      version: '1',
      parts: [tool('use', { about: 'x', effect: 'read', run: async (_, call) => (await call.use(store)).name })],
    })
    const session = await RawSession.open(kit)
    expect(events).toStrictEqual([])
    expect((await session.ask('tools/call', { name: 'use' })).result.isError).toBe(true)
    isDown = false
    const both = await Promise.all([1, 2].map(() => session.ask('tools/call', { name: 'use' })))
    expect(both.map(({ result }) => result.content[0].text)).toStrictEqual(['store', 'store'])
    await session.running.close()
    expect(events).toStrictEqual(['open', 'open', 'close'])
  })
})

test.each<[string, object, string, string]>([
  ['a secret of four characters', { KEY: 'hush' }, 'a hush b', 'a •••• b'],
  ['a secret of three characters', { KEY: 'hus' }, 'a hus b', 'a hus b'],
  ['a secret without a value', {}, 'hush', 'hush'],
  ['a setting that is no secret', { PLACE: 'hush' }, 'hush', 'hush'],
  ['a longer secret that begins with another', { KEY: 'hush', LONG: 'hush-hush' }, 'hush-hush hush', '•••• ••••'],
  ['a secret in JSON', { KEY: 'hu"sh' }, '{"a":"hu\\"sh"}', '{"a":"••••"}'],
  ['a secret in a URI', { KEY: 'hu sh' }, 'a=hu%20sh', 'a=••••'],
])('%s is masked where it has to be', (_what, values, text, masked) => {
  const secret = (about: string) => setting({ about, secret: true })
  const declared = { KEY: secret('The key.'), LONG: secret('Another.'), PLACE: setting({ about: 'Where.' }) }
  expect(maskFor(declared, values as Record<string, string>)(text)).toBe(masked)
})

describe('the shared connections of a running kit', () => {
  const log: string[] = []
  const declared = (name: string, close: ((thing: string) => unknown) | undefined) => {
    let count = 0
    return shared(() => `${name} ${++count}`, close)
  }
  const closing = (thing: string) => void log.push(`close ${thing}`)
  const things = (...more: unknown[]) => new SharedThings({} as never, ...(more as []))
  beforeEach(() => void log.splice(0))

  test('are closed in reverse order, and errors are returned', async () => {
    const [first, last] = [declared('first', closing), declared('last', closing)]
    const broken = declared('broken', () => {
      throw new Error('stuck')
    })
    const open = things()
    for (const one of [first, broken, declared('plain', undefined), last]) await open.use(one)
    expect(await open.close()).toStrictEqual([new Error('stuck')])
    expect(log).toStrictEqual(['close last 1', 'close first 1'])
    expect(await open.close()).toStrictEqual([])
  })

  test('are closed after the calls that use them, of this generation and of older ones', async () => {
    const scale = declared('scale', closing)
    const open = things()
    await open.use(scale)
    const older = open.enter()
    const refreshing = open.refresh(scale)
    await open.use(scale)
    const newer = open.enter()
    const other = open.enter()
    const closed = open.closeWhenIdle().then(() => log.push('closed'))
    open.leave(newer)
    await new Promise(setImmediate)
    open.leave(older)
    await refreshing
    await new Promise(setImmediate)
    expect(log).toStrictEqual(['close scale 1'])
    open.leave(other)
    await closed
    expect(log).toStrictEqual(['close scale 1', 'close scale 2', 'closed'])
  })

  test('report that they were opened, and are replaced in tests', async () => {
    const scale = declared('scale', undefined)
    const opened: unknown[] = []
    const open = things([[scale, 'fake']], (one: unknown) => void opened.push(one))
    expect(await open.use(scale)).toBe('fake')
    const other = declared('other', undefined)
    expect(await open.use(other)).toBe('other 1')
    expect(await open.use(other)).toBe('other 1')
    expect(opened).toStrictEqual([other])
  })

  test('are refreshed only while they are open', async () => {
    const open = things()
    const scale = declared('scale', closing)
    await open.refresh(scale)
    expect(await open.use(scale)).toBe('scale 1')
    let release = () => {}
    const slow = shared(() => new Promise<string>((resolve) => (release = () => resolve('slow'))), closing)
    const first = open.use(slow)
    release()
    await first
    const refreshing = open.refresh(slow)
    await open.close()
    expect(log).toStrictEqual(['close slow', 'close scale 1'])
    release()
    await refreshing
    expect(log).toStrictEqual(['close slow', 'close scale 1', 'close slow'])
  })
})
