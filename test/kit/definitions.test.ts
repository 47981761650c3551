import {
  content,
  defineKit,
  except,
  only,
  override,
  prompt,
  Refusal,
  rename,
  resource,
  template,
  tool,
  withPrefix,
  withTags,
} from 'jexo'
import { z } from 'zod'
import { isKit } from '../../src/kit/kit.js'
import { isRefusal } from '../../src/kit/refusal.js'

const run = () => 'x'
const read = () => 'x'
const named = (name: string, tags: string[] = []) => tool(name, { about: 'x', effect: 'read', tags, run })

type Row = [string, () => unknown, RegExp]
const durableTool = { about: 'x', effect: 'change', task: 'required', run } as const
const refused = (field: string, value: unknown, options: object): Row => [
  `${field}: ${JSON.stringify(value)}`,
  () => tool('t', { ...durableTool, ...options } as never),
  new RegExp(`"\\S*${field.replaceAll('.', '\\.')}" of tool "t" is missing or not valid`),
]
const rejected = (field: string, values: unknown[], message?: RegExp): Row[] =>
  values.map((value) => {
    const [what, , usual] = refused(field, value, {})
    const options = { about: 'x', effect: 'change', run, [field]: value }
    return [what, () => tool('t', options as never), message ?? usual]
  })

describe('an invalid definition is refused in one sentence', () => {
  test.each<[string, () => unknown, RegExp]>([
    ['a name with a space', () => named('weigh hive'), /tool name "weigh hive" is not allowed; use 1 to 128/],
    ['a name that is too long', () => named('x'.repeat(129)), /not allowed/],
    [
      'a mistyped option',
      () => tool('t', { about: 'x', effect: 'read', inputs: {}, run } as never),
      /tool "t" has no option "inputs"; write "input" instead/,
    ],
    [
      'an option by another word',
      () => tool('t', { description: 'x', effect: 'read', run } as never),
      /no option "description"; write "about" instead/,
    ],
    [
      'an option that is far from any',
      () => prompt('p', { about: 'x', run, colour: 1 } as never),
      /prompt "p" has no option "colour"; its options are about, input, complete, run/,
    ],
    [
      'a mistyped option of a kit',
      () => defineKit({ name: 'k', version: '1', part: [] } as never),
      /the kit has no option "part"; write "parts" instead/,
    ],
    ['options that are none', () => tool('t', undefined as never), /tool "t" has no options; pass an object/],
    ['no description', () => tool('t', { about: ' ', effect: 'read', run }), /"about" of tool "t" is missing/],
    [
      'no effect',
      () => tool('t', { about: 'x', effect: 'writes' as never, run }),
      /one of read, add, change, remove/,
    ],
    [
      'no function',
      () => tool('t', { about: 'x', effect: 'read', run: 5 as never }),
      /"run" of tool "t" is missing or not valid; expected a function/,
    ],
    [
      'a string as input',
      () => tool('t', { about: 'x', effect: 'read', input: z.string() as never, run }),
      /input schema of tool "t" is of type "string", not an object/,
    ],
    [
      'an array as output',
      () =>
        tool('t', { about: 'x', effect: 'read', output: z.array(z.string()) as never, run: (() => '') as never }),
      /output schema .* wrap it, as in z.object/,
    ],
    [
      'a boolean as schema',
      () => tool('t', { about: 'x', effect: 'read', input: true as never, run }),
      /is a boolean, not an object/,
    ],
    [
      'a type JSON lacks',
      () => tool('t', { about: 'x', effect: 'read', input: z.object({ at: z.date() }), run }),
      /cannot become JSON Schema/,
    ],
    [
      'a resource without scheme',
      () => resource('hives', { name: 'h', about: 'x', read }),
      /"hives" is not a valid URI/,
    ],
    [
      'a template without variable',
      () => template('a://b', { name: 'h', about: 'x', read }),
      /no variable; use resource/,
    ],
    [
      'a completion for nothing',
      () => template('a://{b}', { name: 'h', about: 'x', read, complete: { c: () => [] } as never }),
      /complete\.c/,
    ],
    [
      'a prompt with a number',
      () => prompt('p', { about: 'x', input: z.object({ n: z.number() }) as never, run }),
      /argument "n" of prompt "p" is not a string/,
    ],
    [
      'two tools of one name',
      () => defineKit({ name: 'k', version: '1', parts: [named('t'), named('t')] }),
      /two parts have the name tool "t"; rename or remove one/,
    ],
    [
      'something that is no part',
      () => defineKit({ name: 'k', version: '1', parts: [5 as never] }),
      /the list of parts contains a number/,
    ],
    [
      'a kit without version',
      () => defineKit({ name: 'k', version: '', parts: [] }),
      /"version" of the kit is missing/,
    ],
    ['a resource without name', () => resource('a://b', { name: '', about: 'x', read }), /"name" of resource/],
    [
      'a resource with a number as name',
      () => resource('a://b', { name: 5, about: 'x', read } as never),
      /"name" of/,
    ],
    ['a template without name', () => template('a://{b}', { name: '', about: 'x', read }), /"name" of template/],
    [
      'a template with a number as name',
      () => template('a://{b}', { name: 5, about: 'x', read } as never),
      /"name" of/,
    ],
    ['a number as URI', () => resource(5 as never, { name: 'h', about: 'x', read }), /"5" is not a valid URI/],
    ['null as options', () => tool('t', null as never), /tool "t" has no options/],
    ...rejected('task', ['required ', true, 'never']),
    ...rejected('forPages', [true, 'also']),
    ...rejected('view', [{}, named('t'), 'ui://x']),
    ...rejected('scopes', ['hives.read', ['hives read'], ['a', '*'], [5], ['a"b']]),
    ...rejected('visibleTo', [true]),
    ...rejected('confirm', [{ ifPossible: true }], /"confirm\.say" of tool "t"/),
    ...rejected('durable', [{}], /"durable" of tool "t"/),
    ...[0, 1001, 1.5, '3'].map((attempts) => refused('attempts', attempts, { durable: { attempts } })),
    ...[-1, 86_400_001, Number.NaN].map((firstMs) =>
      refused('backoff.firstMs', firstMs, { durable: { backoff: { firstMs } } }),
    ),
    [
      'a durable tool with another option',
      () => tool('t', { ...durableTool, durable: { tries: 3 } } as never),
      /no option "tries"/,
    ],
    [
      'a prompt that completes an unknown argument',
      () =>
        prompt('p', {
          about: 'x',
          input: z.object({ site: z.string() }),
          run,
          complete: { hive: () => [] } as never,
        }),
      /complete\.hive/,
    ],
    [
      'a prompt with choices that are not all text',
      () =>
        prompt('p', { about: 'x', input: { type: 'object', properties: { n: { enum: ['a', 1] } } } as never, run }),
      /argument "n" of prompt "p" is not a string/,
    ],
  ])('%s', (_what, define, message) => {
    expect(define).toThrow(message)
  })
})

test('optional fields of a tool are kept, with their defaults', () => {
  const visibleTo = () => true
  const given = { title: 'T', tags: ['a'], icons: [{ src: 'data:,x' }], scopes: ['hives.read'], source: 'scale' }
  const part = tool('t', { ...durableTool, ...given, visibleTo, durable: {}, confirm: () => 'Sure?' } as never)
  expect(part).toMatchObject({
    ...given,
    visibleTo,
    task: 'required',
    durable: { attempts: 3, backoff: { firstMs: 1000, grows: true } },
    confirm: { ifPossible: false },
  })
  const other = { attempts: 1000, backoff: { firstMs: 0, grows: false } }
  expect(tool('t', { ...durableTool, durable: other })).toMatchObject({ durable: other })
  expect(
    tool('t', { ...durableTool, durable: { attempts: 1, backoff: { firstMs: 86_400_000 } } }).durable,
  ).toStrictEqual({ attempts: 1, backoff: { firstMs: 86_400_000, grows: true } })
  for (const forPages of ['too', 'only'] as const)
    expect(tool('t', { about: 'x', effect: 'read', run, forPages }).forPages).toBe(forPages)
  const plain = tool('t', { about: 'x', effect: 'read', scopes: [], task: 'optional', run })
  for (const field of ['title', 'tags', 'icons', 'settings', 'source', 'scopes', 'visibleTo', 'layers'])
    expect(plain).not.toHaveProperty(field)
  expect(plain).toMatchObject({ task: 'optional', examples: [] })
  const examples = [{ input: {} }]
  expect(tool('t', { about: 'x', effect: 'read', examples, run } as never).examples).toStrictEqual(examples)
})

test('arguments of a prompt have the title, description and choices of their schema', () => {
  const site = { type: 'string', title: 'Site', description: 'Name of a site' }
  const properties = { site, kind: { enum: ['long', 'short'] }, sign: { const: 'x' } }
  const made = prompt('p', { about: 'x', input: { type: 'object', properties, required: ['kind'] } as never, run })
  expect(made.arguments).toStrictEqual([
    { name: 'site', title: 'Site', description: 'Name of a site' },
    { name: 'kind', required: true },
    { name: 'sign' },
  ])
})

describe('parts are values', () => {
  const parts = [named('get_hive', ['a']), named('get_site', ['b']), named('move_hive')]
  const names = (list: readonly { name: string }[]) => list.map(({ name }) => name)

  test('that can be selected, excluded, renamed and overridden', () => {
    expect(names(only(parts, ['get_*']))).toStrictEqual(['get_hive', 'get_site'])
    expect(names(except(parts, ['get_hive']))).toStrictEqual(['get_site', 'move_hive'])
    expect(names(withTags(parts, 'b'))).toStrictEqual(['get_site'])
    expect(names(withPrefix(parts, 'ml_'))).toStrictEqual(['ml_get_hive', 'ml_get_site', 'ml_move_hive'])
    expect(names(rename(parts, { move_hive: 'bring_hive' }))).toStrictEqual(['get_hive', 'get_site', 'bring_hive'])
    expect(override(parts, { get_hive: { about: 'Better.', effect: 'change' } })[0]).toMatchObject({
      about: 'Better.',
      effect: 'change',
    })
  })

  test('and an unknown name is refused', () => {
    expect(() => only(parts, ['get_hives'])).toThrow(/no part "get_hives"; did you mean "get_hive"/)
    expect(() => rename(parts, { nope: 'x' })).toThrow(/no part "nope"/)
    expect(() => withPrefix(parts, 'a b')).toThrow(/not allowed/)
  })

  test('frozen, with the options of their definition', () => {
    const [part] = parts
    expect(Object.isFrozen(part)).toBe(true)
    expect(Object.isFrozen(content.text('x'))).toBe(true)
  })

  test('recognised across two copies of the package by their symbol', () => {
    expect(isKit(Object.defineProperty({}, Symbol.for('jexo.kit'), { value: true }))).toBe(true)
    expect(isRefusal(Object.assign(new Error('no'), { [Symbol.for('jexo.refusal')]: true }))).toBe(true)
    expect(isRefusal(new Refusal('no'))).toBe(true)
    expect(isRefusal(new Error('no'))).toBe(false)
  })
})

test('content of a wrong type is refused when it is created', () => {
  const image = content.image as (bytes: unknown, mimeType: unknown) => unknown
  expect(() => image(Buffer.from('x'), { mimeType: 'image/png' })).toThrow(
    /the second argument is the media type, such as image\/png/,
  )
  expect(() => image('x', 'image/png')).toThrow(/the first argument is the bytes/)
})
