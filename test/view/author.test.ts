import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit, only, type Part, tool, view, withPrefix } from 'jexo'
import { connect } from 'jexo/link'
import { connect as connectOnNode } from 'jexo/node'
import { atBodyEnd } from '../../src/kit/view.js'
import { uiExtension, viewMimeType } from '../../src/protocol/ui.js'

const page = '<!doctype html><html><head><title>Card</title></head><body><h1>Hive</h1></body></html>'
const card = view('ui://apiary/hive-card', {
  about: 'A hive at a glance.',
  page,
  connects: ['wss://scales.example'],
  loads: ['https://*.tiles.example:8443'],
  frames: ['https://map.example'],
  permissions: ['geolocation'],
  prefersBorder: true,
})
const weigh = tool('weigh_hive', {
  about: 'Latest reading of the scale.',
  effect: 'read',
  view: card,
  run: () => ({ kg: 41 }),
})
const list = tool('list_visits', { about: 'Visits to a hive.', effect: 'read', forPages: 'too', run: () => 'none' })
const record = tool('record_visit', { about: 'Records.', effect: 'add', forPages: 'only', run: () => 'recorded' })
const move = tool('move_hive', { about: 'Moves a hive.', effect: 'change', run: () => 'moved' })
const kitOf = (...parts: Part[]) => defineKit({ name: 'apiary', version: '1', parts })
const kit = kitOf(weigh, list, record, move)

const open = (views: boolean, more: object = {}) => connect(kit, { views, ...more })

describe('a kit with a view', () => {
  test('tells hosts that show views who may call which tool, and lists the view once', async () => {
    const link = await open(true)
    const meta = Object.fromEntries((await link.tools()).map(({ name, _meta }) => [name, _meta?.ui]))
    expect(meta).toStrictEqual({
      weigh_hive: { resourceUri: 'ui://apiary/hive-card' },
      list_visits: { visibility: ['model', 'app'] },
      record_visit: { visibility: ['app'] },
      move_hive: { visibility: ['model'] },
    })
    expect(link.capabilities).toMatchObject({ extensions: { [uiExtension]: {} } })
    expect(await link.resources()).toStrictEqual([
      {
        uri: 'ui://apiary/hive-card',
        name: 'hive-card',
        description: 'A hive at a glance.',
        mimeType: viewMimeType,
      },
    ])
    expect(await link.read('ui://apiary/hive-card')).toStrictEqual({
      contents: [
        {
          uri: 'ui://apiary/hive-card',
          mimeType: viewMimeType,
          text: page,
          _meta: {
            ui: {
              csp: {
                connectDomains: ['wss://scales.example'],
                resourceDomains: ['https://*.tiles.example:8443'],
                frameDomains: ['https://map.example'],
              },
              permissions: { geolocation: {} },
              prefersBorder: true,
            },
          },
        },
      ],
    })
    expect((await link.call('record_visit')).content).toMatchObject([{ text: 'recorded' }])
  })

  test('hides the view from hosts without views, and refuses page-only tools there', async () => {
    const link = await open(false)
    const tools = await link.tools()
    expect(tools.map(({ name }) => name)).toStrictEqual(['weigh_hive', 'list_visits', 'move_hive'])
    expect(JSON.stringify(tools)).not.toContain('"ui"')
    expect(link.capabilities).not.toHaveProperty('extensions')
    expect(await link.resources()).toStrictEqual([])
    await expect(link.read('ui://apiary/hive-card')).rejects.toThrow(/not found|no resource/i)
    await expect(link.call('record_visit' as 'weigh_hive')).rejects.toThrow(/unknown tool/)
    expect((await link.call('weigh_hive')).content).toMatchObject([{ type: 'text', text: '{"kg":41}' }])
  })

  test.each(['2024-11-05', '2025-03-26', '2025-06-18'])(
    'works for a host of %s that declares views',
    async (revision) => {
      const link = await open(true, { revision })
      expect((await link.read('ui://apiary/hive-card')).contents[0]).toMatchObject({ text: page })
      const names = (await link.tools()).map(({ name }) => name)
      expect(names).toContain('weigh_hive')
    },
  )

  test('keeps a view with its tool when parts are selected, renamed or hidden', async () => {
    const some = await connect(kitOf(...withPrefix(only([weigh, move], ['weigh_*']), 'bee_')), { views: true })
    expect((await some.tools())[0]).toMatchObject({
      name: 'bee_weigh_hive',
      _meta: { ui: { resourceUri: 'ui://apiary/hive-card' } },
    })
    expect(await some.resources()).toHaveLength(1)
    const chosen = await connect(kit, {
      views: true,
      choose: (parts) => parts.filter(({ name }) => name !== 'weigh_hive'),
    })
    expect(await chosen.resources()).toStrictEqual([])
    const narrow = await connect(kit, {
      views: true,
      choose: (parts) => parts.filter(({ name }) => name === 'weigh_hive'),
    })
    expect(await narrow.resources()).toHaveLength(1)
  })

  test('embeds the examples of its tools in a page, for use without a host', async () => {
    const file = join(mkdtempSync(join(tmpdir(), 'jexo-view-')), 'index.html')
    writeFileSync(file, page)
    const shown = tool('weigh_hive', {
      about: 'Latest reading of the scale.',
      effect: 'read',
      view: view('ui://apiary/file', { about: 'A file.', page: pathToFileURL(file) }),
      input: { type: 'object', properties: { hive: { type: 'string' } } },
      examples: [{ input: { hive: 'ML-04</script>' }, output: { kg: 41 } }],
      run: () => ({ kg: 41 }),
    })
    const link = await connectOnNode(kitOf(shown), { views: true })
    const [contents] = (await link.read('ui://apiary/file')).contents
    expect(contents?.text).toContain('<h1>Hive</h1><script type="application/json" id="jexo-sample">')
    expect(contents?.text).not.toContain('ML-04</script>')
    // Neither a letter whose lower case is longer, nor a script that contains the tag, moves the end of the body.
    expect(atBodyEnd('<body>İİİ</body></html>\n', 'X')).toBe('<body>İİİX</body></html>\n')
    expect(atBodyEnd('<script>"</body>"; a()</script>', 'X')).toBe('<script>"</body>"; a()</script>X')
    expect(view('ui://a/%zz', { about: 'Odd.', page }).name).toBe('%zz')
  })
})

test.each([
  [{}, 'ui://apiary/hive-card', 'hive-card'],
  [{}, 'ui://apiary/cards/', 'cards'],
  [{}, 'ui://apiary', 'apiary'],
  [{ name: 'card' }, 'ui://apiary/hive-card', 'card'],
])('a view with %j at %s has the name %s', (options, uri, name) => {
  expect(view(uri as 'ui://a', { about: 'A card.', page: '<p>x</p>', ...options }).name).toBe(name)
})

describe('invalid definitions are refused', () => {
  const about = 'A card.'
  test.each([
    ['an http URI', () => view('https://apiary.example/card', { about, page }), /begin it with ui:\/\//],
    ['no host in the URI', () => view('ui://', { about, page }), /not a valid URI of a view/],
    ['a page that is not HTML', () => view('ui://a/b', { about, page: './index.html' }), /string without HTML/],
    ['a page from the network', () => view('ui://a/b', { about, page: new URL('https://a.example/') }), /"page"/],
    ['a wildcard origin', () => view('ui://a/b', { about, page, loads: ['*'] }), /"loads".*origins/s],
    [
      'an origin with a path',
      () => view('ui://a/b', { about, page, connects: ['https://a.example/x'] }),
      /"connects"/,
    ],
    [
      'a directive in an origin',
      () => view('ui://a/b', { about, page, frames: ["https://a.example; script-src 'unsafe-eval'"] }),
      /"frames"/,
    ],
    [
      'an unknown permission',
      () => view('ui://a/b', { about, page, permissions: ['usb' as 'camera'] }),
      /"permissions"/,
    ],
    [
      'something else as the view',
      () => tool('a', { about, effect: 'read', view: {} as never, run: () => 1 }),
      /"view"/,
    ],
    [
      'another word for pages',
      () => tool('a', { about, effect: 'read', forPages: 'never' as 'only', run: () => 1 }),
      /too or only/,
    ],
    [
      'two pages under one URI',
      () =>
        kitOf(
          tool('a', { about, effect: 'read', view: view('ui://a/b', { about, page }), run: () => 1 }),
          tool('b', { about, effect: 'read', view: view('ui://a/b', { about, page: '<p>' }), run: () => 1 }),
        ),
      /two parts have the name/,
    ],
  ])('%s', (_, make, said) => {
    expect(make).toThrow(said)
  })
})
