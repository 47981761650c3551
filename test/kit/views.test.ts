import { tool, view } from 'jexo'
import { samplesFor, viewContents, withOwnViews, withoutPages, withSamples, withViews } from '../../src/kit/view.js'

const page = '<body><p>Hive</p></body>'
const about = 'A card.'
const card = view('ui://apiary/card', { about, page })
const list = view('ui://apiary/list', { about, page })
const spare = view('ui://apiary/spare', { about, page })
const run = () => 'x'
const examples = Array.from({ length: 7 }, (_, at) => ({ input: { at }, ...(at === 0 ? { output: 'x' } : {}) }))
const weigh = tool('weigh', { about, effect: 'read', view: card, examples, run } as never)
const sites = tool('sites', { about, effect: 'read', view: list, run })
const record = tool('record', { about, effect: 'add', forPages: 'only', examples: [{ input: {} }], run } as never)
const move = tool('move', { about, effect: 'change', run })

const metaOf = (options: object) => {
  const [contents] = [viewContents(view('ui://apiary/card', { about, page, ...options }), page)]
  return (contents as { resource: { _meta?: unknown } }).resource._meta
}

test.each<[object, unknown]>([
  [{}, undefined],
  [{ permissions: [] }, undefined],
  [{ permissions: ['camera'] }, { ui: { permissions: { camera: {} } } }],
  [{ prefersBorder: false }, { ui: { prefersBorder: false } }],
  [{ prefersBorder: 'yes' }, { ui: { prefersBorder: false } }],
  [{ loads: [] }, { ui: { csp: { resourceDomains: [] } } }],
  [{ connects: ['https://a.example'] }, { ui: { csp: { connectDomains: ['https://a.example'] } } }],
])('a view with %j is sent with the metadata %j', (options, meta) => {
  expect(metaOf(options)).toStrictEqual(meta)
})

test.each<[string, object, RegExp]>([
  ['an empty name', { name: '' }, /"name"/],
  ['a number as its name', { name: 5 }, /"name"/],
  ['one origin without a list', { loads: 'https://a.example' }, /"loads"/],
  ['a number as an origin', { connects: [5] }, /"connects"/],
  ['a valid and a wrong origin', { frames: ['https://a.example', 'a b'] }, /"frames"/],
])('a view with %s is refused', (_what, options, message) => {
  expect(() => view('ui://apiary/card', { about, page, ...options } as never)).toThrow(message)
})

test('the views of tools are added once, after the other parts', () => {
  expect(withViews([weigh, weigh, move])).toStrictEqual([weigh, weigh, move, card])
  const complete = [card, weigh]
  expect(withViews(complete)).toBe(complete)
})

test('a caller who may use some tools gets their views only, and views that no tool shows', () => {
  const all = [weigh, sites, card, list, spare]
  expect(withOwnViews([weigh, card, list, spare], all)).toStrictEqual([weigh, card, spare])
  expect(withOwnViews([weigh], all)).toStrictEqual([weigh, card])
  const plain = [move, spare]
  expect(withOwnViews(plain, plain)).toBe(plain)
})

test('a host without views gets no view, and no tool for pages only', () => {
  expect(withoutPages([weigh, card, record, move])).toStrictEqual([weigh, move])
})

test('the samples of a view are five examples of each tool that shows it or that it may call', () => {
  expect(samplesFor(card.uri, [weigh, sites, record, move])).toStrictEqual([
    { tool: 'weigh', shows: true, input: { at: 0 }, output: 'x' },
    ...[1, 2, 3, 4].map((at) => ({ tool: 'weigh', shows: true, input: { at } })),
    { tool: 'record', shows: false, input: {} },
  ])
})

test('samples are embedded up to 50,000 characters', () => {
  const sample = (length: number) => ({ tool: 't', shows: true, input: 'x'.repeat(length) })
  const frame = JSON.stringify([sample(0)]).length
  expect(withSamples(page, [])).toBe(page)
  expect(withSamples(page, [sample(50_000 - frame)])).toContain('x"}]</script></body>')
  expect(withSamples(page, [sample(50_001 - frame)])).toBe(page)
})
