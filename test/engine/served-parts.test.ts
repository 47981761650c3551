import { defineKit, layer, type Part, resource, tool, view } from 'jexo'
import { ServedParts } from '../../src/engine/served-parts.js'
import { compilingValidator } from '../../src/kit/compiling-validator.js'

const about = 'x'
const outer = (name: string, more: object = {}) => layer(name, async (_call, next) => next(), more as never)
const audit = outer('audit')
const extra = tool('extra', { about, effect: 'read', run: () => 'x' })
const cache = outer('cache', { onResourceUpdated: () => {}, parts: [extra] })
const weigh = tool('weigh', { about, effect: 'read', run: () => 'x' })
const wax = tool('wax', { about, effect: 'read', layers: [audit, cache], run: () => 'x' })
const notes = resource('hive://notes', { name: 'notes', about, read: () => 'x' })
const card = view('ui://k/card', { about, page: '<p>' })
const shown = tool('shown', { about, effect: 'read', view: card, run: () => 'x' })

function served(parts: readonly Part[], options: object = {}, layers = [audit]): ServedParts {
  const made = new ServedParts({ environment: {}, validator: compilingValidator, ...options } as never, () => {})
  const kit = defineKit({ name: 'k', version: '1', layers, parts })
  made.serve(kit, made.of(kit))
  return made
}
const namesOf = (values: readonly { name: string }[]) => values.map(({ name }) => name)
const tools = ({ tools }: ServedParts['index']) => [...tools.keys()]

test('layers of the kit and of single parts are listed once, and add their parts', () => {
  const parts = served([weigh, wax])
  expect(namesOf(parts.layers)).toStrictEqual(['audit', 'cache'])
  expect(namesOf(parts.hearing)).toStrictEqual(['cache'])
  expect(tools(parts.index)).toStrictEqual(['weigh', 'wax', 'extra'])
  expect(namesOf(served([weigh, wax], { layers: [outer('limit')] }).layers)).toStrictEqual([
    'limit',
    'audit',
    'cache',
  ])
})

test('without layers, neither they nor their parts are served', () => {
  const parts = served([weigh, wax], { withoutLayers: true })
  expect(namesOf(parts.layers)).not.toContain('audit')
  expect(parts.hearing).toStrictEqual([])
  expect(tools(parts.index)).toStrictEqual(['weigh', 'wax'])
})

test('only chosen parts are served', () => {
  const choose = (all: readonly Part[]) => all.filter(({ name }) => name !== 'weigh')
  expect(tools(served([weigh, wax, notes], { choose }, []).index)).toStrictEqual(['wax', 'extra'])
})

test.each([
  ['a tool and a resource', [weigh, notes], false],
  ['a tool with a view', [shown, card], true],
  ['a view alone', [card], true],
  [
    'a tool for pages only',
    [tool('refresh', { about, effect: 'read', forPages: 'only', run: () => 'x' } as never)],
    true,
  ],
] as [string, Part[], boolean][])('%s: has parts for hosts that show views: %s', (_name, parts, expected) => {
  expect(served(parts, {}, []).hasViews).toBe(expected)
})

test('a session that selects nothing shares the parts of all; selections are kept, up to a hundred', () => {
  const parts = served([weigh, wax, notes], {}, [])
  expect(parts.indexFor(undefined)).toBe(parts.index)
  const first = parts.indexFor('weigh')
  expect(tools(first)).toStrictEqual(['weigh'])
  expect(parts.indexFor('weigh')).toBe(first)
  for (let at = 1; at < 100; at++) parts.indexFor(`weigh,${'wax,'.repeat(at)}wax`)
  expect(parts.indexFor('weigh')).toBe(first)
  parts.indexFor('wax')
  expect(parts.indexFor('weigh')).not.toBe(first)
})

test('a host that shows no views does not see views', () => {
  const parts = served([weigh, shown, card], {}, [])
  expect([...parts.indexFor(undefined, undefined, true).resources.keys()]).toStrictEqual(['ui://k/card'])
  expect([...parts.indexFor(undefined).resources.keys()]).toStrictEqual([])
  expect(tools(parts.indexFor(undefined))).toStrictEqual(['weigh', 'shown'])
})
