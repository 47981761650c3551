import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { defineKit } from 'jexo'
import { planGraphql, wrapGraphql } from 'jexo/graphql'
import { connect } from 'jexo/node'
import { newFolder } from '../support/cli.js'
import { cpuMs } from '../support/cpu.js'

/** Queries that are short to write and slow to process, and files of operations like them. */
const folder = newFolder()
const schema = join(folder, 'graph.graphql')
writeFileSync(
  schema,
  'type Query { hives(site: String, deep: Deep): [Hive!]! me: Hive }\ntype Hive { code: String! near: Hive far: Hive }\ninput Deep { a: Deep b: Deep }',
)
const numbered = (count: number, make: (at: number) => string) =>
  Array.from({ length: count }, (_, at) => make(at)).join(' ')

const queries: readonly (readonly [name: string, query: string, outcome: RegExp])[] = [
  [
    'fragments that double',
    `{ ...f0 } ${numbered(26, (at) => `fragment f${at} on Query { ...f${at + 1} ...f${at + 1} }`)} fragment f26 on Query { me { code } }`,
    /more than 200 fields/,
  ],
  [
    'fragments that double and hold nothing',
    `{ ...f0 } ${numbered(26, (at) => `fragment f${at} on Query { ...f${at + 1} ...f${at + 1} ...f${at + 1} }`)} fragment f26 on Query { __typename }`,
    /more than 200 fields/,
  ],
  [
    'fields that double',
    `{ me { ...f0 } } ${numbered(20, (at) => `fragment f${at} on Hive { near { ...f${at + 1} } far { ...f${at + 1} } }`)} fragment f20 on Hive { code }`,
    /levels deep|200 fields/,
  ],
  [
    'fragments that go round',
    '{ ...a } fragment a on Query { ...b ...b } fragment b on Query { ...a ...a me { code } }',
    /does not match the schema/,
  ],
  ['a fragment of itself', '{ ...a } fragment a on Query { ...a }', /does not match the schema/],
  [
    'the same alias for two things, often',
    `{ me { ${numbered(150, () => 'x: code x: near { code }')} } }`,
    /does not fit|200 fields/,
  ],
  ['many brackets', `{ hives(site: ${'['.repeat(1900)}${']'.repeat(1900)}) { code } }`, /./],
  ['many tokens', `{ ${'me '.repeat(5000)} }`, /tokens|characters/],
]

test.each(queries)('a query with %s is refused at once', async (_name, query, outcome) => {
  const parts = await wrapGraphql(pathToFileURL(schema), {
    adHoc: true,
    baseUrl: 'http://127.0.0.1:9',
    settingPrefix: 'HIVES',
  })
  const link = await connect(defineKit({ name: 'hives', version: '1', parts }), {
    environment: {},
    report: () => {},
  } as never)
  await link.call('ask_graph', { query: '{ wrong }' })
  const start = cpuMs()
  const { isError, content } = await link.call('ask_graph', { query })
  expect(cpuMs() - start).toBeLessThan(2500)
  expect(isError).toBe(true)
  expect((content[0] as { text: string }).text).toMatch(outcome)
  await link.close()
})

test.each(queries.slice(0, 5))(
  'a file of operations with %s is planned in time and space',
  async (_name, query) => {
    const file = join(folder, 'asks.graphql')
    writeFileSync(file, `query ask ${query}`)
    const start = cpuMs()
    const plan = await planGraphql(pathToFileURL(schema), {
      operations: [pathToFileURL(file)],
      baseUrl: 'http://127.0.0.1:9',
    })
    expect(cpuMs() - start).toBeLessThan(4000)
    expect(JSON.stringify(plan).length).toBeLessThan(3_000_000)
  },
)
