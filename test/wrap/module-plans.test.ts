import { planFunctions } from '../../src/wrap/module/plan.js'
import type { FunctionReading, ModuleReading } from '../../src/wrap/module/reading.js'

/** A function as the compiler reads it; the tests name only what they are about. */
const read = (name: string, more: Partial<FunctionReading> = {}): FunctionReading => ({
  path: [name],
  label: [name],
  name,
  where: `colony.ts:${name.length}`,
  about: '',
  isDeprecated: false,
  examples: [],
  parameters: [],
  input: { type: 'object' },
  inputDefinitions: {},
  result: { form: 'value', conversion: null, definitions: {}, isLater: false, isStream: false },
  omitted: [],
  ...more,
})
const reading = (...functions: FunctionReading[]): ModuleReading => ({
  file: '/bees/colony.ts',
  title: 'colony.ts',
  isUntyped: false,
  functions,
  skipped: [],
  warnings: ['one'],
  makeable: [],
})
const result = (more: Partial<FunctionReading['result']>): Partial<FunctionReading> => ({
  result: { form: 'value', conversion: null, definitions: {}, isLater: false, isStream: false, ...more },
})
const value = (name: string) => ({ kind: 'value', name, conversion: null }) as const

test('a function is planned with its names, and without what it does not have', () => {
  const plan = planFunctions(reading(read('weighHive', { about: 'Weighs a hive.', title: 'Weight' })))
  expect(plan).toStrictEqual({
    ...{ version: 1, kind: 'module', title: 'colony.ts', isUntyped: false, form: 'tools' },
    ...{ skipped: [], warnings: ['one'], notes: [] },
    tools: [
      {
        ...{ name: 'weigh_hive', path: ['weighHive'], where: 'colony.ts:9', title: 'Weight' },
        ...{ about: 'Weighs a hive.', isDescribed: true, effect: 'read', isEffectGuessed: true, tags: [] },
        ...{ examples: [], parameters: [], input: { type: 'object' }, inputDefinitions: {}, omitted: [] },
        ...{ result: result({}).result, showsErrors: false },
      },
    ],
  })
  expect(planFunctions(reading(read('_'))).tools[0]).not.toHaveProperty('title')
  expect(planFunctions(reading(read('_'))).tools[0]?.name).toBe('function_1')
})

test('names get a prefix, also those of a catalogue', () => {
  const plan = (options: object) => planFunctions(reading(read('weigh')), options)
  expect(plan({ prefix: 'bee_' })).toMatchObject({ form: 'tools', tools: [{ name: 'bee_weigh' }] })
  expect(plan({ prefix: 'bee_' })).not.toHaveProperty('cataloguePrefix')
  expect(plan({ prefix: 'bee_', catalogue: true })).toMatchObject({ form: 'catalogue', cataloguePrefix: 'bee_' })
  expect(plan({ catalogue: true })).not.toHaveProperty('cataloguePrefix')
})

test('only and except choose by name; an empty list chooses all', () => {
  const names = (options: object) =>
    planFunctions(reading(read('weigh'), read('count')), options).tools.map(({ name }) => name)
  expect(names({})).toStrictEqual(['weigh', 'count'])
  expect(names({ only: [] })).toStrictEqual(['weigh', 'count'])
  expect(names({ only: ['w*'] })).toStrictEqual(['weigh'])
  expect(names({ except: ['weigh'] })).toStrictEqual(['count'])
  expect(() => names({ only: ['weight'] })).toThrow(/did you mean "weigh"\?/)
})

test('a description comes from the name if there is none, and lists the forms of overloads', () => {
  const about = (more: Partial<FunctionReading>) => planFunctions(reading(read('weighHive', more))).tools[0]?.about
  expect(about({})).toBe('Weigh hive.')
  expect(about(result({ about: 'Kilograms.' }))).toBe('Weigh hive. Returns: Kilograms.')
  const forms = [
    { parameters: [value('code'), { kind: 'rest', name: 'dates', conversion: null }], required: [] },
    { parameters: [{ kind: 'object', properties: [{ name: 'from', conversion: null }] }], required: [] },
    { parameters: [{ kind: 'signal' }, { kind: 'absent' }], required: [] },
    { parameters: [value('code'), value('dates')], required: [] },
  ] as const
  expect(about({ forms })).toBe('Weigh hive.\nArguments that go together: code, dates; or from; or none.')
})

test('the effect is the declared one, that of the body, or guessed from the name', () => {
  const effect = (more: Partial<FunctionReading>, options = {}) => {
    const [tool] = planFunctions(reading(read('handle', more)), options).tools
    return [tool?.effect, tool?.isEffectGuessed]
  }
  expect(effect({ effect: 'add' })).toStrictEqual(['add', false])
  expect(effect({ effect: 'add' }, { effects: { handle: 'remove' } })).toStrictEqual(['remove', false])
  expect(effect({ onlyReads: true })).toStrictEqual(['read', true])
  expect(effect({ onlyReads: true, ...result({ form: 'nothing' }) })).toStrictEqual(['change', true])
})

test('tags, documented errors and values that are never passed are part of the plan', () => {
  const omitted = ['onDone (a function)']
  const more = { isDeprecated: true, about: 'Weighs.\nFails when there is no hive.', omitted }
  const plan = planFunctions(reading(read('weigh', more)), { tags: ['bees'] })
  expect(plan.tools).toMatchObject([{ tags: ['bees', 'deprecated'], showsErrors: true }])
  expect(plan.notes).toStrictEqual(['weigh never passes onDone (a function)'])
})

test('one function under two names is one tool; others with the same name get a number', () => {
  const plan = planFunctions(
    reading(
      read('weigh'),
      read('weigh', { path: ['default'] }),
      read('weigh', { path: ['more', 'weigh'], where: 'more.ts:1' }),
      read('weigh', { path: ['last', 'weigh'], where: 'last.ts:1' }),
    ),
  )
  expect(plan.tools.map(({ name, path }) => `${name} ${path.join('.')}`)).toStrictEqual([
    'weigh weigh',
    'weigh_2 more.weigh',
    'weigh_3 last.weigh',
  ])
  expect(plan.skipped).toStrictEqual([
    { name: 'default', where: 'colony.ts:5', reason: 'it is the same function as weigh', fix: 'call weigh' },
  ])
  expect(plan.notes).toStrictEqual([
    'weigh_2 is more.weigh (more.ts:1), since weigh is weigh',
    'weigh_3 is last.weigh (last.ts:1), since weigh is weigh',
  ])
})

test('a method needs an instance of its class', () => {
  const method = read('record', { path: ['Ledger', 'record'], label: ['Ledger', 'record'], instanceOf: 'Ledger' })
  const other = read('record', { path: ['Log', 'record'], instanceOf: 'Log' })
  expect(planFunctions(reading(method, other), {}, ['Ledger', 'Log']).tools).toMatchObject([
    { name: 'ledger_record', instanceOf: 'Ledger' },
    { name: 'record', instanceOf: 'Log' },
  ])
  const { tools, skipped } = planFunctions(reading(method))
  expect(tools).toStrictEqual([])
  expect(skipped).toStrictEqual([
    {
      ...{ name: 'Ledger.record', where: 'colony.ts:6', reason: 'it needs an instance of Ledger' },
      fix: 'pass one: instances: { Ledger: shared(() => new Ledger(…)) }',
    },
  ])
})
