import { defineKit, setting, shared, tool } from 'jexo'
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
    expect(JSON.parse(result.content[0].text)).toEqual({ KEY: 'k', PLACE: 'p', LEVEL: 'low' })
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
    expect(told).toEqual([
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
    expect(events).toEqual([])
    expect((await session.ask('tools/call', { name: 'use' })).result.isError).toBe(true)
    isDown = false
    const both = await Promise.all([1, 2].map(() => session.ask('tools/call', { name: 'use' })))
    expect(both.map(({ result }) => result.content[0].text)).toEqual(['store', 'store'])
    await session.running.close()
    expect(events).toEqual(['open', 'open', 'close'])
  })
})
