import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { buildSchema, graphqlSync } from 'graphql'
import { defineKit } from 'jexo'
import { planGraphql, wrapGraphql } from 'jexo/graphql'
import { connect } from 'jexo/node'
import { newFolder } from '../../support/cli.js'
import { Upstream } from '../../support/upstream.js'

const sdl = `
scalar Upload
interface Place { id: ID! name: String! }
type Site implements Place { id: ID! name: String! hives: Int! owner: Keeper }
type Shed implements Place { id: ID! name: String! tools: [String!]! }
type Keeper { name: String! size: Int! site: Site }
type Swarm { size: String! keeper: Keeper seenAt: String }
union Finding = Keeper | Swarm | Site
input Weigh { kg: Float! note: String }
input Photo { file: Upload! title: String }
enum Order { FIRST LAST }
type Query {
  node(id: ID!): Place
  nodes(ids: [ID!]!): [Place]
  place(id: ID!): Place
  findings(most: Int! = 20, order: Order! = LAST, within: [String!]): [Finding!]!
}
type Mutation {
  note(hive: ID!, text: String): String
  weigh(hive: ID!, by: Weigh): Float
  photo(hive: ID!, photo: Photo!): Boolean
  upload(file: Upload!): Boolean
}
`
const schema = buildSchema(sdl)
const file = join(newFolder(), 'bees.graphql')
writeFileSync(file, sdl)
const values = {
  place: ({ id }: { id: string }) =>
    id === '1'
      ? { __typename: 'Site', id, name: 'Ivy', hives: 4 }
      : { __typename: 'Shed', id, name: 'Oak', tools: ['smoker'] },
  findings: ({ most, order, within }: { most: number; order: string; within?: string[] | null }) => [
    { __typename: 'Keeper', name: `${most} ${order} ${JSON.stringify(within)}`, size: 2 },
    { __typename: 'Swarm', size: 'large', keeper: { name: 'Ada', size: 1 }, seenAt: null },
    { __typename: 'Site', id: '1', name: 'Ivy', hives: 4 },
  ],
  note: ({ text }: { text?: string | null }) => JSON.stringify(text),
  weigh: ({ by }: { by?: { kg: number } | null }) => (by === null ? -1 : (by?.kg ?? 0)),
}

test('derived operations select fields of every kind, and leave arguments with defaults optional', async () => {
  const upstream = await Upstream.start(({ body }) => {
    const { query, variables } = JSON.parse(Buffer.from(body, 'latin1').toString())
    return { body: graphqlSync({ schema, source: query, rootValue: values, variableValues: variables }) }
  })
  const parts = await wrapGraphql(file, { baseUrl: upstream.url, writes: true, catalogue: false })
  const link = await connect(defineKit({ name: 'bees', version: '1', about: 'x', parts }))
  const call = async (name: string, args: object) => {
    const { structuredContent, content, isError } = await link.call(name, args as never)
    return isError ? content : structuredContent
  }
  expect(await call('place', { id: '1' })).toStrictEqual({
    place: { __typename: 'Site', id: '1', name: 'Ivy', hives: 4, owner: null },
  })
  expect(await call('place', { id: '2' })).toStrictEqual({
    place: { __typename: 'Shed', id: '2', name: 'Oak', tools: ['smoker'] },
  })
  expect(await call('findings', {})).toStrictEqual({
    findings: [
      expect.objectContaining({ __typename: 'Keeper', name: '20 LAST undefined', size: 2 }),
      { __typename: 'Swarm', swarm_size: 'large', keeper: { name: 'Ada', size: 1, site: null }, seenAt: null },
      expect.objectContaining({ __typename: 'Site', id: '1', hives: 4 }),
    ],
  })
  expect(await call('findings', { most: 3, order: 'FIRST', within: null })).toMatchObject({
    findings: [{ name: '3 FIRST null' }, {}, {}],
  })
  expect(await call('note', { hive: '1', text: null })).toStrictEqual({ note: 'null' })
  expect(await call('note', { hive: '1' })).toStrictEqual({ note: null })
  expect(await call('weigh', { hive: '1', by: null })).toStrictEqual({ weigh: -1 })
  await link.close()
  await upstream.end()
})

test('skipped fields are counted, with the fix', async () => {
  const plan = await planGraphql(file, { writes: true })
  expect(plan.skipped.map(({ where, reason }) => `${where}: ${reason}`)).toStrictEqual([
    'query node: it returns objects of any type, so nothing can be selected without an operation',
    'query nodes: it returns objects of any type, so nothing can be selected without an operation',
    'mutation photo: it uploads a file, which is not supported',
    'mutation upload: it uploads a file, which is not supported',
  ])
  const { properties, required } = plan.operations.find(({ name }) => name === 'findings')?.input ?? {}
  expect(required).toBeUndefined()
  expect(properties).toMatchObject({
    most: { default: 20 },
    order: { default: 'LAST' },
    within: { anyOf: [{ type: 'array' }, { type: 'null' }] },
  })
})

test.each([
  ['errors', { errors: [{ message: 'GraphQL introspection is not allowed' }] }],
  ['a status', { status: 400, body: { errors: [{ message: 'introspection is disabled' }] } }],
])('an endpoint that refuses introspection with %s is reported with the fix', async (_how, reply) => {
  const upstream = await Upstream.start(() => ('status' in reply ? reply : { body: reply }))
  await expect(planGraphql(`${upstream.url}/graphql`)).rejects.toThrow(/introspection[\s\S]*schema/i)
  await upstream.end()
})

test.each(['123.example', 'ümlaut.example', '_.example'])(
  'the names of settings for %s are valid',
  async (host) => {
    const plan = await planGraphql(file, { baseUrl: `https://${host}/graphql` })
    expect(plan.base.setting).toMatch(/^[A-Z][A-Z0-9_]*$/)
  },
)
