import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import Ajv2020 from 'ajv/dist/2020.js'
import { defineKit } from 'jexo'
import { planGraphql, type WrapGraphqlOptions, wrapGraphql } from 'jexo/graphql'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { jexo, newFolder, Running, root, written } from '../support/cli.js'
import type { Loose } from '../support/raw-session.js'
import { Upstream } from '../support/upstream.js'

const sdl = `
"Where a hive stands."
enum Site { MARSH_LANE QUARRY_FIELD }
type Hive { "Code of the hive." code: ID!  site: Site!  "In kilograms." weight: Float }
type Member { name: String! }
union Found = Hive | Member
input NewHive { code: ID!, site: Site = MARSH_LANE, note: String, twin: NewHive }
type Query {
  "The hives of the co-op."
  hives("Only those of this site." site: Site): [Hive!]!
  hive(code: ID!): Hive!
  find(words: String!): [Found!]!
}
type Mutation { addHive(hive: NewHive!): Hive! }
type Subscription { weights: Float }
`
const operations = `
# Weighs the hives of a site.
query WeighHives($site: Site, $rough: Boolean = false) { hives(site: $site) { ...Weighed site @skip(if: $rough) } }
query OneHive($code: ID!) { hive(code: $code) { code weight } }
query FindThings($words: String!) { find(words: $words) { __typename ... on Hive { code } ... on Member { name } } }
mutation AddHive($hive: NewHive!) { addHive(hive: $hive) { code site } }
subscription Weights { weights }
query Wrong { hives { colour } }
fragment Weighed on Hive { code weight }
`
let server: Running
let url: string
const links: Link[] = []
beforeAll(async () => {
  server = new Running([join(root, 'test/support/graph-server.mjs'), sdl])
  ;[url] = (await server.until(/http:\S+/)) as unknown as [string]
})
afterAll(async () => {
  await Promise.all(links.map((link) => link.close()))
  await Running.endAll()
  await Upstream.endAll()
})

const files = () => ({
  schema: written('hives.graphql', sdl),
  operations: [pathToFileURL(written('asks.graphql', operations))],
})
async function opened(options: WrapGraphqlOptions = {}, environment: Record<string, string> = {}) {
  const { schema, operations: asks } = files()
  const parts = await wrapGraphql(pathToFileURL(schema), { operations: asks, baseUrl: url, ...options })
  const reports: string[] = []
  const link = await connect(defineKit({ name: 'test', version: '1', parts }), {
    environment,
    report: ({ text }) => reports.push(text),
  })
  links.push(link)
  const call = async (tool: string, args = {}) => (await link.call(tool, args as never)) as Loose
  const text = async (tool: string, args = {}) =>
    (await call(tool, args)).content.map((block: Loose) => block.text).join('\n')
  return { link, call, text, reports }
}

describe('written operations', () => {
  test('become tools: variables are arguments, the selection is the output schema', async () => {
    const { schema, operations: asks } = files()
    const plan = await planGraphql(pathToFileURL(schema), { operations: asks, writes: true })
    expect(plan.operations.map(({ name, effect, about }) => [name, effect, about])).toStrictEqual([
      ['weigh_hives', 'read', 'Weighs the hives of a site.'],
      ['one_hive', 'read', 'Queries hive. Returns code, weight.'],
      ['find_things', 'read', 'Queries find. Returns __typename.'],
      ['add_hive', 'add', 'Executes addHive. Returns code, site.'],
    ])
    expect(plan.skipped.map(({ name, reason }) => [name, reason])).toStrictEqual([
      ['weights', 'subscriptions never end, but a call must end'],
      ['wrong', expect.stringMatching(/Cannot query field "colour" on type "Hive"\. \(line 8, column 23\)/)],
    ])
    const [weigh, , find, add] = plan.operations
    expect(weigh?.input).toStrictEqual({
      type: 'object',
      properties: {
        site: {
          anyOf: [{ type: 'string', enum: ['MARSH_LANE', 'QUARRY_FIELD'] }, { type: 'null' }],
          description: 'Only those of this site.',
        },
        rough: { anyOf: [{ type: 'boolean' }, { type: 'null' }], default: false },
      },
      additionalProperties: false,
    })
    const hive = (weigh as Loose).response.schema.properties.hives.items
    expect(hive.properties).toMatchObject({
      code: { type: 'string', description: 'Code of the hive.' },
      weight: { type: ['number', 'null'] },
    })
    expect(hive.required).toStrictEqual(['code', 'weight'])
    expect((find as Loose).response.schema.properties.find.items.required).toStrictEqual(['__typename'])
    expect(add?.input.properties).toStrictEqual({ hive: { $ref: '#/$defs/NewHive' } })
    expect(plan.inputDefinitions.NewHive).toMatchObject({
      required: ['code'],
      properties: { twin: { anyOf: [{ $ref: '#/$defs/NewHive' }, { type: 'null' }] } },
    })
  })

  test('are executed; partial errors appear beside the data, and errors without data refuse the call', async () => {
    const { call, text } = await opened({ writes: ['add_*'] })
    expect((await call('weigh_hives', { site: 'MARSH_LANE', rough: true })).structuredContent).toStrictEqual({
      hives: [{ code: 'ML-04', weight: 41.2 }],
    })
    const partly = await call('weigh_hives', {})
    expect(partly.structuredContent.hives[1]).toStrictEqual({ code: 'ML-07', weight: null, site: 'QUARRY_FIELD' })
    expect(partly.content[1].text).toBe('The API returned a partial result:\n- hives.1.weight: the scale is silent')
    expect(await text('one_hive', { code: 'ML-99' })).toBe(
      'The API returned errors only:\n- hive: there is no hive ML-99',
    )
    expect(await text('weigh_hives', { site: 'MOON' })).toMatch(
      /site: received "MOON"; expected one of "MARSH_LANE", "QUARRY_FIELD"/,
    )
    expect((await call('find_things', { words: 'x' })).structuredContent.find[1]).toStrictEqual({
      __typename: 'Member',
      name: 'Ada Fenn',
    })
    expect((await call('add_hive', { hive: { code: 'ML-13' } })).structuredContent).toStrictEqual({
      addHive: { code: 'ML-13', site: 'MARSH_LANE' },
    })
  })

  test('are retried on a busy server if they only read; mutations are not', async () => {
    const busy = [{ status: 503 }, { body: { data: { hives: [] } } }]
    const api = await Upstream.start(() => busy.shift() ?? { status: 503 })
    const { call } = await opened({ baseUrl: api.url, writes: true })
    expect((await call('weigh_hives')).structuredContent).toStrictEqual({ hives: [] })
    await call('add_hive', { hive: { code: 'x' } })
    expect(api.seen).toHaveLength(3)
    expect(JSON.parse(api.last.body)).toMatchObject({
      operationName: 'AddHive',
      variables: { hive: { code: 'x' } },
    })
  })

  test('authenticate with a setting', async () => {
    const { call } = await opened(
      { credential: { kind: 'bearer' }, settingPrefix: 'HIVES' },
      { HIVES_TOKEN: 'tok-s3cret' },
    )
    await call('one_hive', { code: 'ML-04' })
    // The output of the server and its responses arrive on different streams.
    await server.until(/"authorization":"Bearer tok-s3cret"/)
  })
})

test('without written operations, each root field becomes one with its plain fields', async () => {
  const plan = await planGraphql(url, { writes: true })
  expect(plan.base.url).toBe(url)
  expect(plan.operations.map(({ name }) => name)).toStrictEqual(['hives', 'hive', 'find', 'add_hive'])
  expect((plan.operations[0] as Loose).body.fixed.query.replace(/\s+/g, ' ')).toBe(
    'query hives($site: Site) { hives(site: $site) { code site weight } }',
  )
  const kit = defineKit({ name: 'test', version: '1', parts: await wrapGraphql(url) })
  const link = await connect(kit)
  links.push(link)
  expect((await link.call('hive', { code: 'ML-04' })).structuredContent).toStrictEqual({
    hive: { code: 'ML-04', site: 'MARSH_LANE', weight: 41.2 },
  })
})

describe('ad-hoc queries', () => {
  test('can explore the schema piece by piece, and run after a check', async () => {
    const { text, call } = await opened({ adHoc: true })
    expect(JSON.parse(await text('explain_graph', { type: 'Hive' }))).toStrictEqual({
      type: 'Hive',
      fields: ['code: ID!  # Code of the hive.', 'site: Site!', 'weight: Float  # In kilograms.'],
    })
    expect(JSON.parse(await text('explain_graph', { words: 'hives' })).found[0]).toBe(
      'Query.hives: The hives of the co-op.',
    )
    expect(JSON.parse(await text('explain_graph')).roots).toStrictEqual(['Query', 'Mutation'])
    expect(await text('explain_graph', { type: 'Hve' })).toMatch(/no type "Hve"; did you mean Hive/)
    expect(
      JSON.parse(
        await text('ask_graph', {
          query: 'query Q($c: ID!) { hive(code: $c) { weight } }',
          variables: { c: 'ML-04' },
        }),
      ),
    ).toStrictEqual({ hive: { weight: 41.2 } })
    expect((await call('ask_graph', { query: 'mutation { addHive(hive: {code: "x"}) { code } }' })).isError).toBe(
      true,
    )
  })

  test.each([
    ['too deep', `{ ${'a { '.repeat(200)}b${' }'.repeat(200)} }`, /more than 10 levels deep/],
    [
      'too wide',
      `{ ${Array.from({ length: 300 }, (_, at) => `a${at}: hives { code }`).join(' ')} }`,
      /more than 200 fields/,
    ],
    [
      'doubled by fragments',
      `{ ...f0 } ${Array.from({ length: 30 }, (_, at) => `fragment f${at} on Query { ...f${at + 1} ...f${at + 1} }`).join(' ')} fragment f30 on Query { hives { code } }`,
      /more than 200 fields/,
    ],
    ['too long', `{ ${'hives { code } '.repeat(1200)} }`, /tokens|characters/],
    ['broken', '{ hives {', /cannot be read: Syntax Error/],
    ['of another schema', '{ wasps { code } }', /does not match the schema:\n- Cannot query field "wasps"/],
    ['several at once', 'query A { hives { code } } query B { hives { code } }', /exactly one operation/],
    ['a subscription', 'subscription { weights }', /A subscription is not allowed here/],
  ])('that are %s are refused before they are sent', async (_what, query, reason) => {
    const { text } = await opened({ adHoc: true, baseUrl: 'http://127.0.0.1:9' })
    expect(await text('ask_graph', { query })).toMatch(reason)
  })
})

test('a large real schema with faults is planned completely, with valid schemas', async () => {
  const schema = pathToFileURL(join(root, 'node_modules/@octokit/graphql-schema/schema.graphql'))
  const plan = await planGraphql(schema, { writes: true, baseUrl: 'https://graph.example' })
  expect(plan.operations.length).toBeGreaterThan(250)
  expect(plan.warnings[0]).toMatch(/can only be defined once/)
  const ajv = new Ajv2020.default({ strict: false, validateFormats: false })
  const { operations, inputDefinitions, outputDefinitions } = plan
  const schemas = operations.flatMap(({ input, response }) => [input, response.schema ?? {}])
  for (const one of [...schemas, ...Object.values(inputDefinitions), ...Object.values(outputDefinitions)])
    if (!ajv.validateSchema(one)) throw new Error(`${JSON.stringify(one)}: ${ajv.errorsText()}`)
})

describe('jexo wrap of a GraphQL API', () => {
  test('writes a kit and its operations, which can be checked, packed and called', async () => {
    const folder = newFolder()
    const [schema, asks, kit] = ['hives.graphql', 'asks.graphql', 'hives.kit.ts'].map((name) =>
      join(folder, name),
    ) as [string, string, string]
    writeFileSync(schema, sdl)
    writeFileSync(asks, operations)
    const flags = ['--operations', asks, '--base-url', url, '--setting-prefix', 'HIVES', '--out', kit]
    const { stdout, code } = await jexo('wrap', schema, ...flags)
    expect(code).toBe(0)
    expect(stdout).toMatch(
      /weigh_hives\(site\?, rough\?\) {2}read {2}query WeighHives\n {4}Weighs the hives of a site\./,
    )
    expect(JSON.parse((await jexo('call', kit, 'one_hive', 'code=ML-04', '--json')).stdout)).toStrictEqual({
      hive: { code: 'ML-04', weight: 41.2 },
    })
    expect((await jexo('wrap', schema, '--out', kit, '--check')).stdout).toContain('is up to date')
    writeFileSync(asks, operations.replace('{ code weight } }\nquery Find', '{ code } }\nquery Find'))
    expect((await jexo('wrap', schema, '--out', kit, '--check')).stdout).toContain(
      '~ one_hive(code)   (description, arguments, response)',
    )
    await jexo('pack', kit, '--out', join(folder, 'out'))
    writeFileSync(schema, 'gone')
    const packed = await jexo(
      'call',
      `exec:node ${JSON.stringify(join(folder, 'out/hives.mjs'))}`,
      'one_hive',
      'code=ML-04',
      '--json',
    )
    expect(JSON.parse(packed.stdout)).toMatchObject({ hive: { code: 'ML-04' } })
  })

  test.each([
    [
      'an invalid schema',
      written('x.graphql', 'type Query { a: Nope }'),
      [],
      /no GraphQL schema: Unknown type "?:? ?"Nope"|Unknown type: "Nope"/,
    ],
    [
      'operations that are not there',
      written('y.graphql', sdl),
      ['--operations', 'none.graphql'],
      /none\.graphql: there is no such file/,
    ],
    ['an unreachable endpoint', 'http://127.0.0.1:9/graphql', ['--kind', 'graphql'], /ECONNREFUSED/],
  ])('refuses %s with the reason', async (_what, source, flags, reason) => {
    expect(await jexo('wrap', source, ...flags)).toMatchObject({ code: 2, stderr: expect.stringMatching(reason) })
  })
})
