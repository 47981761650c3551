import { pathToFileURL } from 'node:url'
import { buildSchema, introspectionFromSchema } from 'graphql'
import { planGraphql, type WrapGraphqlOptions } from 'jexo/graphql'
import { newFolder, written } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { Upstream } from '../support/upstream.js'

const sdl = `
"""
A hive.

More about hives.
"""
type Hive { id: ID! name: String! kg(unit: String!): Float weight(unit: String! = "kg"): Float colour: Colour queen: Queen site: Site }
type Queen { year: Int! hive: Hive line: Line }
type Line { name: String! queen: Queen breed: Breed }
type Breed { name: String! origin: Origin }
type Origin { country: String! }
type Site { name: String! hives: [Hive!]! }
interface Visitor { name: String! seen: DateTime }
type Bear implements Visitor { name: String! seen: DateTime size: Int! }
type Wasp implements Visitor { name: String! seen: DateTime size: String! nest: Site }
union Found = Bear | Wasp | Site
enum Colour { RED BLUE }
scalar DateTime
"An amount with its unit, such as 3 kg."
scalar Amount
"What to look for."
input Filter { "The site." site: String! = "any" least: Float colour: Colour note: Amount! tags: [String] inner: Filter }
input Pick @oneOf { id: ID name: String }
type Wide { ${Array.from({ length: 13 }, (_, at) => `f${at + 1}: Int`).join(' ')} }
type Query {
  "The hives of a site."
  hives("Which ones." filter: Filter, most: Int = 20): [Hive!]!
  hive(by: Pick!): Hive
  visitors: [Visitor!]
  found: [Found]
  count: Int!
  wide: Wide
  node(id: ID!): Hive
}
type Mutation { "Reads nothing." getReady: Boolean removeHive(id: ID!): Boolean paint(colour: Colour! = RED): Boolean }
type Subscription { ticks: Int }
`
const file = (name: string, text: string) => pathToFileURL(written(name, text))
/** The plan of the schema with operations; all operations are included. */
async function planned(operations?: string, options: WrapGraphqlOptions = {}): Promise<Loose> {
  const given = operations === undefined ? {} : { operations: [file('work.graphql', operations)] }
  return planGraphql(file('bees.graphql', sdl), { writes: true, ...given, ...options })
}
const named = (plan: Loose, name: string): Loose =>
  plan.operations.find((operation: Loose) => operation.name === name) ??
  plan.skipped.find((one: Loose) => one.name === name)
const queryOf = (operation: Loose): string => operation.body.fixed.query.replace(/\s+/g, ' ')

describe('a derived operation', () => {
  test('selects plain fields first, nested objects once, and nothing that needs an argument', async () => {
    const plan = await planned()
    expect(queryOf(named(plan, 'hive'))).toBe(
      'query hive($by: Pick!) { hive(by: $by) { id name weight colour queen { year line { name } } site { name } } }',
    )
    expect(queryOf(named(plan, 'count'))).toBe('query count { count }')
    expect(queryOf(named(plan, 'hives'))).toContain('query hives($filter: Filter, $most: Int = 20) {')
    expect(queryOf(named(plan, 'paint'))).toBe('mutation paint($colour: Colour! = RED) { paint(colour: $colour) }')
  })

  test('selects common fields of an interface once, and names conflicting ones after their type', async () => {
    const plan = await planned()
    expect(queryOf(named(plan, 'visitors'))).toBe(
      'query visitors { visitors { __typename name seen ... on Bear { size } ... on Wasp { wasp_size: size nest { name hives { id name weight colour } } } } }',
    )
    expect(queryOf(named(plan, 'found'))).toBe(
      'query found { found { __typename ... on Bear { name seen size } ... on Wasp { name seen wasp_size: size nest { name hives { id name weight colour } } } ... on Site { name hives { id name weight colour queen { year } } } } }',
    )
  })

  test('describes what the schema says of it, and what it returns', async () => {
    const plan = await planned()
    expect(named(plan, 'hives').about).toBe('The hives of a site. Returns id, name, weight, colour, queen, site.')
    expect(named(plan, 'hives').isDescribed).toBe(true)
    expect(named(plan, 'count')).toMatchObject({ about: 'Queries count. Returns count.', isDescribed: false })
    expect(named(plan, 'remove_hive').about).toBe('Executes removeHive. Returns removeHive.')
  })

  test('has an effect from its name; a mutation never only reads', async () => {
    const plan = await planned()
    expect(['hive', 'get_ready', 'remove_hive', 'paint'].map((name) => named(plan, name).effect)).toStrictEqual([
      ...['read', 'change', 'remove', 'change'],
    ])
  })

  test('is not made for fields that return any object', async () => {
    expect(named(await planned(), 'node')).toMatchObject({
      where: 'query node',
      fix: expect.stringContaining('--operations'),
    })
    expect((await planned('query a { count }')).skipped).toStrictEqual([])
  })
})

describe('arguments', () => {
  test('are nullable unless required, and described by the schema', async () => {
    const { input } = named(await planned(), 'hives')
    expect(input).toStrictEqual({
      type: 'object',
      properties: {
        filter: { anyOf: [{ $ref: '#/$defs/Filter' }, { type: 'null' }], description: 'Which ones.' },
        most: {
          anyOf: [{ type: 'integer', minimum: -2147483648, maximum: 2147483647 }, { type: 'null' }],
          default: 20,
        },
      },
      additionalProperties: false,
    })
    expect(named(await planned(), 'count').input).toStrictEqual({ type: 'object', additionalProperties: false })
    expect(named(await planned(), 'hive').input.required).toStrictEqual(['by'])
    expect(named(await planned(), 'paint').input).not.toHaveProperty('required')
  })

  test('of input types become closed definitions', async () => {
    const { inputDefinitions } = await planned()
    expect(inputDefinitions).toStrictEqual({
      Filter: {
        type: 'object',
        description: 'What to look for.',
        properties: {
          site: { type: 'string', description: 'The site.' },
          least: { type: ['number', 'null'] },
          colour: { type: ['string', 'null'], enum: ['RED', 'BLUE', null] },
          note: { description: 'An amount with its unit, such as 3 kg.' },
          tags: { type: ['array', 'null'], items: { type: ['string', 'null'] } },
          inner: { anyOf: [{ $ref: '#/$defs/Filter' }, { type: 'null' }] },
        },
        required: ['note'],
        additionalProperties: false,
      },
      Pick: {
        type: 'object',
        properties: { id: { type: ['string', 'null'] }, name: { type: ['string', 'null'] } },
        additionalProperties: false,
        minProperties: 1,
        maxProperties: 1,
      },
    })
  })

  test('are described where the operation uses them, not where it only tests them', async () => {
    const plan = await planned(
      'query a($f: Filter, $most: Int, $yes: Boolean!) { hives(filter: $f, most: $most) { id @include(if: $yes) } }',
    )
    const { properties } = named(plan, 'a').input
    expect([properties.f.description, properties.most.description, properties.yes]).toStrictEqual([
      ...['Which ones.', undefined, { type: 'boolean' }],
    ])
  })
})

describe('a result', () => {
  const schemaOf = async (operation: string) => named(await planned(operation), 'a').response.schema
  const text = { type: 'string' }

  test('requires fields that are always there', async () => {
    const { properties, required } = await schemaOf(
      'query a($x: Boolean!) { n: count count @skip(if: $x) m: count @include(if: $x) }',
    )
    expect(Object.keys(properties)).toStrictEqual(['n', 'count', 'm'])
    expect(required).toStrictEqual(['n'])
  })

  test('combines selections of one field, and requires it if one of them does', async () => {
    const { properties, required } = await schemaOf(
      'query a($x: Boolean!) { hives { id } hives @skip(if: $x) { name } }',
    )
    expect(required).toStrictEqual(['hives'])
    expect(properties.hives.items).toStrictEqual({
      type: 'object',
      properties: { id: text, name: text },
      required: ['id', 'name'],
    })
  })

  test('of an interface requires the common fields; those of one type are optional', async () => {
    const { properties } = await schemaOf(
      'query a { visitors { ...V ... on Bear { size } ... { seen } } } fragment V on Visitor { name } fragment Unused on Bear { size }',
    )
    expect(properties.visitors.items).toMatchObject({ required: ['name', 'seen'] })
    expect(Object.keys(properties.visitors.items.properties)).toStrictEqual(['name', 'size', 'seen'])
  })

  test('of an object requires fields that are selected through its interface', async () => {
    const { properties } = await schemaOf(
      'query a { found { ... on Bear { ... on Visitor { name } ...B ...B } } } fragment B on Bear { size }',
    )
    expect(properties.found.items.required).toBeUndefined()
    expect(Object.keys(properties.found.items.properties)).toStrictEqual(['name', 'size'])
  })
})

describe('a written operation', () => {
  test('is described by the comment above it, and contains only the fragments that it uses', async () => {
    const plan = await planned(`
# Not this.

# The hives,
#   by name.
query a { hives { ...H } }
fragment H on Hive { name queen { ...Q } }
fragment Q on Queen { year }
fragment Unused on Site { name }
query b { count }
{ visitors { name } }`)
    expect(named(plan, 'a')).toMatchObject({ about: 'The hives, by name.', isDescribed: true })
    expect(queryOf(named(plan, 'a'))).toBe(
      'query a { hives { ...H } } fragment H on Hive { name queen { ...Q } } fragment Q on Queen { year }',
    )
    expect(named(plan, 'b').about).toBe('Queries count. Returns count.')
    expect(named(plan, 'visitors').body.fixed).not.toHaveProperty('operationName')
    expect(named(plan, 'b').body.fixed.operationName).toBe('b')
  })

  test.each([
    [12, 'Queries wide. Returns f1, f2, f3, f4, f5, f6, f7, f8, f9, f10, f11, f12.'],
    [13, 'Queries wide. Returns f1, f2, f3, f4, f5, f6, f7, f8, f9, f10, f11, f12 and more.'],
  ])('that returns %i fields names twelve at most', async (count, about) => {
    const fields = Array.from({ length: count }, (_, at) => `f${at + 1}`)
    expect(named(await planned(`query a { wide { ${fields.join(' ')} } }`), 'a').about).toBe(about)
  })

  test.each([
    ['subscription a { ticks }', 'subscriptions never end'],
    ['query a { nothing }', 'Cannot query field "nothing" on type "Query".'],
    ['query a {', 'Syntax Error'],
  ])('%s is skipped with the reason', async (operation, reason) => {
    const [skipped] = (await planned(operation)).skipped
    expect(skipped.reason).toContain(reason)
    expect(skipped.fix).not.toBe('')
    expect((await planned(operation)).operations).toStrictEqual([])
  })
})

describe('the plan', () => {
  test('has the names that follow from the address, the title and the options', async () => {
    expect(await planned()).toMatchObject({
      title: 'graph',
      slug: 'graph',
      credentials: [],
      base: { setting: 'GRAPH_URL' },
    })
    const plan = await planned(undefined, {
      baseUrl: 'https://api.bees.example/graphql',
      tags: ['bees'],
      prefix: 'b_',
    })
    expect(plan).toMatchObject({
      ...{ title: 'bees', slug: 'bees', cataloguePrefix: 'b_' },
      base: { setting: 'BEES_URL', url: 'https://api.bees.example/graphql' },
    })
    expect(named(plan, 'b_count')).toMatchObject({ tags: ['bees'], credentials: [], parameters: [], examples: [] })
    expect(await planned(undefined, { title: 'My Hives' })).toMatchObject({ title: 'My Hives', slug: 'my-hives' })
    expect(await planned()).not.toHaveProperty('cataloguePrefix')
  })

  test('is a catalogue from a number of operations on, or as wanted', async () => {
    const { operations } = await planned()
    const { length } = operations
    const formWith = async (options: WrapGraphqlOptions) => (await planned(undefined, options)).form
    expect(await formWith({})).toBe('tools')
    expect(await formWith({ mostTools: length } as never)).toBe('tools')
    expect(await formWith({ mostTools: length - 1 } as never)).toBe('catalogue')
    expect(await formWith({ catalogue: true })).toBe('catalogue')
    expect(await formWith({ catalogue: false, mostTools: 1 } as never)).toBe('tools')
  })

  test('allows ad-hoc mutations only with writes', async () => {
    expect(await planned(undefined, { adHoc: true })).toMatchObject({ allowsMutations: true })
    expect(await planned(undefined, { adHoc: true, writes: false })).toMatchObject({ allowsMutations: false })
    expect(await planned()).not.toHaveProperty('sdl')
  })
})

describe('a schema', () => {
  test('that is missing or is not one is refused with its path', async () => {
    await expect(planGraphql(new URL('file:///nowhere/bees.graphql'))).rejects.toThrow(/bees\.graphql/)
    await expect(planGraphql(file('bees.graphql', 'type Query {'))).rejects.toThrow(
      /not a GraphQL schema: .*line 1/,
    )
    await expect(planGraphql(file('bees.json', '{ "data": 1 }'))).rejects.toThrow(/not a GraphQL schema/)
  })

  test('with faults is used as far as possible, with five warnings at most', async () => {
    const bad = Array.from({ length: 7 }, (_, at) => `type T${at} { a: Int a: Int }`).join('\n')
    const plan = await planGraphql(file('bees.graphql', `type Query { count: Int }\n${bad}`))
    expect(plan.operations).toHaveLength(1)
    expect(plan.warnings).toHaveLength(5)
  })
})

describe('an endpoint', () => {
  const data = introspectionFromSchema(buildSchema(sdl))
  afterAll(() => Upstream.endAll())

  test.each([
    ['another status', { status: 503, body: 'busy' }, 'refused introspection (status 503)'],
    ['a schema with another status', { status: 500, body: { data } }, 'refused introspection (status 500)'],
    ['errors', { body: { errors: [{ message: 'Not\nhere' }] } }, 'refused introspection (Not here)'],
    ['errors without a text', { body: { errors: [{}] } }, 'refused introspection (errors)'],
    ['a long error', { body: { errors: [{ message: 'x'.repeat(300) }] } }, `(${'x'.repeat(200)})`],
    ['a page', { body: '<p>' }, 'it is not a GraphQL schema: Syntax Error'],
    ['no schema', { body: { data: {} } }, 'it is not a GraphQL schema'],
  ])('that returns %s is refused with the reason', async (_what, reply, reason) => {
    const { url } = await Upstream.start(() => reply)
    await expect(planGraphql(`${url}/graphql`)).rejects.toThrow(reason)
  })

  test('is planned like its file, also if it reports errors beside the schema', async () => {
    const upstream = await Upstream.start(() => ({ body: { data, errors: [{ message: 'Slow' }] } }))
    const plan = await planGraphql(`${upstream.url}/graphql`, { introspectionHeaders: { 'x-key': 'k' } })
    expect(plan.base.url).toBe(`${upstream.url}/graphql`)
    expect(upstream.last).toMatchObject({ method: 'POST', headers: { 'x-key': 'k' } })
    const { operations } = await planned(undefined, { writes: false })
    expect(plan.operations.map(({ name }) => name)).toStrictEqual(operations.map(({ name }: Loose) => name))
  })

  test('that cannot be reached is refused with the code of the error', async () => {
    const upstream = await Upstream.start()
    const { url } = upstream
    await upstream.end()
    await expect(planGraphql(`${url}/graphql`)).rejects.toThrow(/cannot be read \(ECONNREFUSED\)/)
  })
})

test('a file that is missing or cannot be read is refused with the reason', async () => {
  const missing = pathToFileURL(`${newFolder()}/gone.graphql`)
  await expect(planGraphql(missing)).rejects.toThrow(/gone\.graphql: there is no such file/)
  await expect(planGraphql(pathToFileURL(newFolder()))).rejects.toThrow(/it cannot be read \(EISDIR/)
  await expect(planned('{ count }', { operations: [missing] })).rejects.toThrow(/there is no such file/)
})
