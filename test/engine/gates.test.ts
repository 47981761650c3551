import { defineKit, prompt, resource, template, tool, view } from 'jexo'
import { Gates, scopesNeeded, scopesOffered } from '../../src/engine/gates.js'
import { definitionsOf, PartIndex } from '../../src/engine/part-index.js'
import { compilingValidator } from '../../src/kit/compiling-validator.js'
import { newestRevision } from '../../src/protocol/revisions.js'

const about = 'x'
const run = () => 'x'
const isKeeper = ({ subject }: { subject: string }) => subject === 'keeper'
const failing = (): boolean => {
  throw new Error('no list')
}
const weigh = tool('weigh', { about, effect: 'read', scopes: ['scale.read', 'hives'], run })
const move = tool('move', { about, effect: 'change', visibleTo: isKeeper, scopes: ['moves'], run })
const broken = tool('broken', { about, effect: 'read', visibleTo: failing, run })
const letter = prompt('letter', { about, scopes: ['letters'], run })
const hives = resource('hives://all', { name: 'all', about, scopes: ['lists'], read: run })
const hive = template('hives://{code}', { name: 'hive', about, scopes: ['sheets'], read: run })
const plain = tool('plain', { about, effect: 'read', run })
const kitOf = (parts: readonly object[], more: object = {}) =>
  defineKit({ name: 'apiary', version: '1', parts: parts as never, ...more })
const indexOf = (kit: { parts: readonly object[] }) => new PartIndex(kit.parts as never, compilingValidator)
const caller = (subject: string) => ({ subject }) as never

describe('the parts that a caller sees', () => {
  const named = (hidden: { parts: ReadonlySet<{ name: string }> } | undefined) =>
    hidden && [...hidden.parts].map(({ name }) => name)

  test('are all those whose function allows it; a function that fails hides its part and is reported once', () => {
    const kit = kitOf([weigh, move, broken])
    const index = indexOf(kit)
    const reports: string[] = []
    const gates = new Gates((text) => void reports.push(text))
    expect(named(gates.hiddenFrom(caller('guest'), kit, index))).toStrictEqual(['move', 'broken'])
    expect(named(gates.hiddenFrom(caller('keeper'), kit, index))).toStrictEqual(['broken'])
    expect(reports).toStrictEqual(['visibleTo of tool "broken" failed: no list'])
    gates.hiddenFrom(caller('other'), kit, indexOf(kit))
    expect(reports).toHaveLength(2)
  })

  test('have the same key for callers that see the same, and are computed once for each caller', () => {
    let count = 0
    const counted = tool('counted', { about, effect: 'read', visibleTo: () => ++count < 0, run })
    const kit = kitOf([weigh, move, counted])
    const index = indexOf(kit)
    const gates = new Gates(() => {})
    const [guest, other, keeper] = [caller('guest'), caller('other'), caller('keeper')]
    const first = gates.hiddenFrom(guest, kit, index)
    expect(first?.key).toBe('1,2')
    expect(gates.hiddenFrom(other, kit, index)?.key).toBe('1,2')
    expect(gates.hiddenFrom(keeper, kit, index)?.key).toBe('2')
    expect(count).toBe(3)
    expect(gates.hiddenFrom(guest, kit, index)).toBe(first)
    expect(count).toBe(3)
    expect(gates.hiddenFrom(guest, kit, indexOf(kit))).not.toBe(first)
    expect(count).toBe(4)
  })

  test('are none of a kit that is hidden, and all without functions', () => {
    const gates = new Gates(() => {})
    const hidden = kitOf([weigh, plain], { visibleTo: isKeeper })
    const index = indexOf(hidden)
    expect(gates.hiddenFrom(caller('guest'), hidden, index)).toMatchObject({ key: 'all' })
    expect(named(gates.hiddenFrom(caller('guest'), hidden, index))).toStrictEqual(['weigh', 'plain'])
    const keeper = caller('keeper')
    expect(gates.hiddenFrom(keeper, hidden, index)).toBeUndefined()
    expect(gates.hiddenFrom(keeper, hidden, index)).toBeUndefined()
  })

  test('are hidden unless the function returns true', () => {
    const odd = tool('odd', { about, effect: 'read', visibleTo: (() => 'yes') as never, run })
    const kit = kitOf([odd])
    expect(named(new Gates(() => {}).hiddenFrom(caller('keeper'), kit, indexOf(kit)))).toStrictEqual(['odd'])
  })
})

describe('the scopes that a request needs', () => {
  const kit = kitOf([weigh, letter, hives, hive, plain], { scopes: ['hives'] })
  const index = indexOf(kit)
  test.each<[string, object | undefined, string[]]>([
    ['tools/call', { name: 'weigh' }, ['hives', 'scale.read']],
    ['tools/call', { name: 'plain' }, ['hives']],
    ['tools/call', { name: 'letter' }, []],
    ['tools/call', { name: 5 }, []],
    ['tools/call', undefined, []],
    ['tools/list', { name: 'weigh' }, []],
    ['prompts/get', { name: 'letter' }, ['hives', 'letters']],
    ['prompts/get', { name: 'weigh' }, []],
    ['prompts/get', {}, []],
    ['resources/read', { uri: 'hives://all' }, ['hives', 'lists']],
    ['resources/read', { uri: 'hives://ML-01' }, ['hives', 'sheets']],
    ['resources/read', { uri: 'sites://all' }, []],
    ['resources/read', { uri: 5 }, []],
    ['resources/subscribe', { uri: 'hives://ML-01' }, ['hives', 'sheets']],
    ['resources/unsubscribe', { uri: 'hives://all' }, []],
    ['completion/complete', { ref: { name: 'letter' } }, ['hives', 'letters']],
    ['completion/complete', { ref: { uri: 'hives://{code}' } }, ['hives', 'sheets']],
    ['completion/complete', { ref: { uri: 'hives://all' } }, []],
    ['completion/complete', { ref: {} }, []],
    ['completion/complete', { ref: 'letter' }, []],
    ['completion/complete', {}, []],
  ])('%s %j: %j', (method, params, scopes) => {
    expect(scopesNeeded(kit, index, method, params as never)).toStrictEqual(scopes)
  })

  test('are those of the part, if the kit has none', () => {
    const open = kitOf([weigh, plain])
    const needed = (name: string) => scopesNeeded(open, indexOf(open), 'tools/call', { name })
    expect(needed('weigh')).toStrictEqual(['scale.read', 'hives'])
    expect(needed('plain')).toStrictEqual([])
  })

  test('are offered once each, without those of parts that not everyone sees', () => {
    expect(scopesOffered(kitOf([weigh, move, plain, letter], { scopes: ['hives'] }))).toStrictEqual([
      ...['hives', 'scale.read', 'letters'],
    ])
  })
})

describe('the index of parts', () => {
  const card = view('ui://apiary/card', { about, page: '<p>x</p>' })
  const definition = (part: object, forPages = false) => {
    const index = new PartIndex([part] as never, compilingValidator, [], undefined, forPages)
    const [found] = [index.tools, index.resources, index.templates, index.prompts].flatMap((entries) =>
      definitionsOf(entries as never, newestRevision),
    )
    return found?.value
  }
  const input = { type: 'object', additionalProperties: false }
  const base = { name: 't', description: 'x', inputSchema: input, annotations: expect.any(Object) }
  const t = (more: object) => tool('t', { about, effect: 'read', run, ...more } as never)

  test.each<[object, boolean, object]>([
    [{}, false, base],
    [{ title: 'T' }, false, { ...base, title: 'T', annotations: expect.objectContaining({ title: 'T' }) }],
    [{ task: 'optional' }, false, { ...base, execution: { taskSupport: 'optional' } }],
    [{ examples: [{ input: {} }] }, false, { ...base, inputSchema: { ...input, examples: [{}] } }],
    [{ meta: { a: 1 } }, false, { ...base, _meta: { a: 1 } }],
    [{}, true, { ...base, _meta: { ui: { visibility: ['model'] } } }],
    [{ forPages: 'too' }, true, { ...base, _meta: { ui: { visibility: ['model', 'app'] } } }],
    [{ forPages: 'only', meta: { a: 1 } }, true, { ...base, _meta: { a: 1, ui: { visibility: ['app'] } } }],
    [{ view: card }, true, { ...base, _meta: { ui: { resourceUri: card.uri } } }],
    [
      { view: card, forPages: 'too', meta: { ui: { csp: 1, visibility: ['x'], resourceUri: 'ui://x' } } },
      true,
      { ...base, _meta: { ui: { visibility: ['model', 'app'], csp: 1, resourceUri: card.uri } } },
    ],
    [{ meta: { ui: { visibility: ['app'] } } }, true, { ...base, _meta: { ui: { visibility: ['app'] } } }],
  ])('defines a tool with %j, for pages %s', (more, forPages, expected) => {
    expect(definition(t(more), forPages)).toStrictEqual(expected)
  })

  const icons = [{ src: 'data:,x' }]
  test.each<[object, object]>([
    [resource('a://b', { name: 'b', about, read: run }), { uri: 'a://b', name: 'b', description: 'x' }],
    [
      resource('a://b', {
        name: 'b',
        about,
        read: run,
        title: 'B',
        mimeType: 'text/csv',
        size: 5,
        annotations: { priority: 1 },
        icons,
        meta: { a: 1 },
      }),
      {
        uri: 'a://b',
        name: 'b',
        description: 'x',
        title: 'B',
        mimeType: 'text/csv',
        size: 5,
        annotations: { priority: 1 },
        icons,
        _meta: { a: 1 },
      },
    ],
    [template('a://{b}', { name: 'b', about, read: run }), { uriTemplate: 'a://{b}', name: 'b', description: 'x' }],
    [
      template('a://{b}', { name: 'b', about, read: run, mimeType: 'text/csv', annotations: { priority: 1 } }),
      { uriTemplate: 'a://{b}', name: 'b', description: 'x', mimeType: 'text/csv', annotations: { priority: 1 } },
    ],
    [prompt('p', { about, run }), { name: 'p', description: 'x' }],
    [
      prompt('p', { about, run, input: { type: 'object', properties: { a: { type: 'string' } } } as never }),
      { name: 'p', description: 'x', arguments: [{ name: 'a' }] },
    ],
  ])('defines %j', (part, expected) => {
    expect(definition(part)).toStrictEqual(expected)
  })

  test('keeps places and prepared parts after a change, unless layers or pages change', () => {
    const outer: never[] = []
    const make = (parts: readonly object[], before?: PartIndex, layers = outer, forPages = false) =>
      new PartIndex(parts as never, compilingValidator, layers, before, forPages)
    const first = make([weigh, plain])
    expect(first.latestPlace).toBe(1)
    const changed = tool('plain', { about: 'Other.', effect: 'read', run })
    const second = make([hives, changed, weigh], first)
    expect(second.tools.get('weigh')).toBe(first.tools.get('weigh'))
    expect(second.tools.get('plain')).toMatchObject({ place: 1, part: changed })
    expect(second.resources.get('hives://all')?.place).toBe(2)
    expect(second.latestPlace).toBe(2)
    expect(make([weigh], first, []).tools.get('weigh')).not.toBe(first.tools.get('weigh'))
    expect(make([weigh], first, outer, true).tools.get('weigh')).not.toBe(first.tools.get('weigh'))
    expect(definitionsOf(second.tools, newestRevision).map(({ value }) => value.name)).toStrictEqual([
      'weigh',
      'plain',
    ])
    expect(first.hasCompletions).toBe(false)
  })
})
