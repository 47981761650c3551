import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { wrapSql } from 'jexo/sql'
import { parseExactly } from '../../../src/wrap/sql/exact-json.js'
import { newFolder } from '../../support/cli.js'
import { fill, mariadbServer, postgresServer, sqliteFile } from '../../support/databases.js'

/** Values that a database stores more exactly than JSON: each is stored, read, and found again unchanged. */
const types: Record<string, Record<string, string>> = {
  sqlite: { raw: 'blob', big: 'integer', exact: 'text', at: 'text', data: 'text' },
  postgres: { raw: 'bytea', big: 'bigint', exact: 'numeric(30,4)', at: 'timestamptz(6)', data: 'jsonb' },
  mariadb: { raw: 'blob', big: 'bigint', exact: 'decimal(30,4)', at: 'datetime(6)', data: 'json' },
}
const queries = `
-- @name put
-- @effect add
insert into samples (code, raw, big, exact, at, data) values (:code, :raw, :big, :exact, :at, :data);
-- @name got
-- @one
select raw, big, exact, at, data from samples where code = :code;
-- @name by_big
select code from samples where big = :big;
-- @name by_raw
select code from samples where raw = :raw;
-- @name among
-- @param {string[]} codes Codes of samples
-- @param {string[]} codes_too Codes that are left out
select code from samples where code in (:codes) and code not in (:codes_too) order by code;
-- @name ids
-- @param {integer[]} ids
-- @param least
select id from counters where id in (:ids) and kg >= :least;
`
const folder = newFolder()
writeFileSync(join(folder, 'q.sql'), queries)
const postgres = await postgresServer()
const mariadb = await mariadbServer()
const sources: Record<string, string> = { postgres: postgres.url, mariadb: mariadb.url }

const tablesFor = (dialect: string) => {
  const columns = Object.entries(types[dialect] ?? {}).map(([name, type]) => `${name} ${type}`)
  return [
    `create table samples (code varchar(10) not null primary key, ${columns.join(', ')})`,
    'create table counters (id bigint not null primary key, kg integer)',
    `insert into counters values (9007199254740993, 7), (5, 8)`,
    ...(dialect === 'sqlite'
      ? [
          'create table loose (id not null primary key, what text) without rowid',
          `insert into loose values (5, 'number'), ('7', 'text')`,
          `create table prints (hash blob not null primary key, what text)`,
          `insert into prints values (x'00ff10', 'bytes')`,
        ]
      : []),
  ]
}

beforeAll(async () => {
  sources.sqlite = sqliteFile(tablesFor('sqlite').join(';\n'))
  for (const [dialect, server] of Object.entries({ postgres, mariadb })) {
    await server.start()
    await fill(server.url, tablesFor(dialect))
  }
})
const links: Link[] = []
afterAll(async () => {
  for (const link of links) await link.close()
  await Promise.all([postgres.remove(), mariadb.remove()])
})

async function linked(dialect: string): Promise<Link> {
  const parts = await wrapSql(sources[dialect] ?? '', { name: 'lab', queries: [join(folder, 'q.sql')] })
  const link = await connect(defineKit({ name: 'lab', version: '1', about: 'x', parts }))
  links.push(link)
  return link
}

describe.each(Object.keys(types))('%s', (dialect) => {
  const sample = {
    raw: 'AP8Q',
    big: '9007199254740993',
    exact: '12345678901234567890.1234',
    at: { sqlite: 'any', postgres: '2026-06-01T10:00:00.123456Z', mariadb: '2026-06-01T10:00:00.123456' }[dialect],
    data: '{"id":9007199254740993,"kg":[1.5,0.1234567890123456789]}',
  }

  test('stored values are returned unchanged, and can be searched for', async () => {
    const link = await linked(dialect)
    expect((await link.call('put', { code: 'a', ...sample })).isError).toBeUndefined()
    const { structuredContent } = await link.call('got', { code: 'a' })
    expect(structuredContent).toStrictEqual({
      ...sample,
      data: dialect === 'sqlite' ? sample.data : { id: '9007199254740993', kg: [1.5, '0.1234567890123456789'] },
    })
    for (const [tool, value] of [
      ['by_big', { big: sample.big }],
      ['by_raw', { raw: sample.raw }],
    ] as const)
      expect((await link.call(tool, value)).structuredContent).toStrictEqual({ rows: [{ code: 'a' }] })
  })

  test('values that would be stored differently are refused', async () => {
    const link = await linked(dialect)
    const put = async (more: object) => {
      const { isError, content } = await link.call('put', { code: 'b', ...sample, ...more } as never)
      return [isError, (content[0] as { text: string }).text]
    }
    expect(await put({ raw: '*' })).toStrictEqual([true, expect.stringContaining('raw is not base64')])
    expect(await put({ big: 9007199254740992 })).toStrictEqual([
      true,
      expect.stringMatching(/big is a whole number that JSON rounds/),
    ])
    expect(await put({ big: 'many' })).toStrictEqual([true, expect.stringMatching(/big: received "many"/)])
    expect((await link.call('by_big', { big: '7' })).structuredContent).toStrictEqual({ rows: [] })
  })

  test('a list has one placeholder for each item', async () => {
    const link = await linked(dialect)
    await link.call('put', { code: 'c', ...sample })
    const among = async (codes: string[], less: string[]) =>
      (await link.call('among', { codes, codes_too: less })).structuredContent
    expect(await among(['c', 'a', "x' or 1=1"], ['b', 'z'])).toStrictEqual({ rows: [{ code: 'a' }, { code: 'c' }] })
    expect((await link.call('ids', { ids: [5, 6], least: 8 })).structuredContent).toStrictEqual({
      rows: [{ id: 5 }],
    })
    expect((await link.call('among', { codes: [], codes_too: ['b'] })).isError).toBe(true)
  })

  test('a row is found by the key that it shows', async () => {
    const link = await linked(dialect)
    const row = async (uri: string) => JSON.parse((await link.read(uri)).contents[0]?.text ?? '')
    expect(await row('lab://counters/9007199254740993')).toStrictEqual({ id: '9007199254740993', kg: 7 })
    if (dialect !== 'sqlite') return
    expect(await row('lab://loose/5')).toStrictEqual({ id: 5, what: 'number' })
    expect(await row('lab://loose/7')).toStrictEqual({ id: '7', what: 'text' })
    expect(await row('lab://prints/AP8Q')).toStrictEqual({ hash: 'AP8Q', what: 'bytes' })
  })
})

/** Features of one database only: lists, enums, materialized views, partitions, rows returned by a change, and full-text tables. */
const own: Record<string, { tables: string[]; queries: string }> = {
  postgres: {
    tables: [
      `create type flow as enum ('spring', 'lime''s')`,
      'create domain weight as numeric(6,2) check (value >= 0)',
      'create schema yard',
      'create table yard.stands (id integer primary key, flow flow not null, flows flow[], kgs weight[], seen timestamptz[], words text[])',
      'create materialized view yard.heavy as select id, flow from yard.stands',
      'create table weighings (id integer, at date) partition by range (id)',
      'create table weighings_1 partition of weighings for values from (0) to (10)',
    ],
    queries: `
-- @name put
-- @effect add
-- @one
insert into yard.stands values (:id, :flow, :flows, :kgs, :seen, :words) returning flow, flows, kgs, seen, words;
-- @name any_of
select id from yard.stands where flow = any(:flows) order by id;`,
  },
  mariadb: {
    tables: [
      `create table stands (id integer auto_increment primary key, flow enum('spring', 'lime''s') not null)`,
    ],
    queries: `
-- @name put
-- @effect add
insert into stands (flow) values (:flow), ('spring') returning id, flow;`,
  },
  sqlite: {
    tables: ['create virtual table words using fts5(text)', `insert into words values ('a hive')`],
    queries: `
-- @name found
select text from words where words match :words;`,
  },
}

async function ownLink(dialect: string) {
  const { tables = [], queries: text = '' } = own[dialect] ?? {}
  const file = join(newFolder(), 'own.sql')
  writeFileSync(file, text)
  const source = dialect === 'sqlite' ? sqliteFile(tables.join(';\n')) : (sources[dialect] ?? '')
  if (dialect !== 'sqlite') await fill(source, tables)
  const link = await connect(
    defineKit({
      name: 'own',
      version: '1',
      about: 'x',
      parts: await wrapSql(source, { name: 'own', queries: [file], adHoc: true }),
    }),
  )
  links.push(link)
  const explain = async (args: object) => {
    const [first] = (await link.call('explain_own', args as never)).content as { text: string }[]
    return JSON.parse(first?.text ?? '')
  }
  return { link, explain }
}

test('PostgreSQL: lists, enums, domains, materialized views and partitions', async () => {
  const { link, explain } = await ownLink('postgres')
  const tools = await link.tools()
  const flow = { type: 'string', enum: ['spring', "lime's"] }
  expect(tools.find(({ name }) => name === 'put')?.inputSchema.properties).toMatchObject({
    flow,
    flows: { type: 'array', items: { anyOf: [flow, { type: 'null' }] } },
    seen: { type: 'array' },
  })
  const stand = {
    flow: "lime's",
    flows: ['spring', null, "lime's"],
    kgs: [1.5, '12.340'],
    seen: ['2026-06-01T10:00:00.123456Z'],
    words: ['a "b"', 'c,{d}', 'NULL', '\\'],
  }
  expect((await link.call('put', { id: 1, ...stand } as never)).structuredContent).toStrictEqual({
    ...stand,
    kgs: [1.5, 12.34],
  })
  expect((await link.call('any_of', { flows: ["lime's"] })).structuredContent).toStrictEqual({ rows: [{ id: 1 }] })
  expect((await link.call('put', { id: 2, ...stand, flow: 'autumn' } as never)).isError).toBe(true)
  expect(await explain({ table: 'stands' })).toMatchObject({
    name: 'yard.stands',
    columns: [
      { name: 'id' },
      { type: 'flow', values: flow.enum },
      { type: 'flow[]' },
      {},
      { type: 'timestamptz[]' },
      {},
    ],
  })
  const { tables } = await explain({})
  expect(tables).toStrictEqual(expect.arrayContaining(['yard.heavy(id, flow)', 'weighings(id, at)']))
  expect(tables.join()).not.toContain('weighings_1')
})

test('MariaDB: rows returned by a change, and the values of an enum', async () => {
  const { link, explain } = await ownLink('mariadb')
  expect((await link.call('put', { flow: "lime's" })).structuredContent).toStrictEqual({
    changed: 2,
    rows: [
      { id: 1, flow: "lime's" },
      { id: 2, flow: 'spring' },
    ],
  })
  expect(await explain({ table: 'stands' })).toMatchObject({ columns: [{}, { values: ['spring', "lime's"] }] })
})

test('SQLite: the tables behind a full-text search are not listed', async () => {
  const { link, explain } = await ownLink('sqlite')
  expect((await explain({})).tables).toStrictEqual(['words(text)'])
  expect((await link.call('found', { words: 'hive' })).structuredContent).toStrictEqual({
    rows: [{ text: 'a hive' }],
  })
})

test.each([
  ['{"a":9007199254740993,"b":"9007199254740993"}', { a: '9007199254740993', b: '9007199254740993' }],
  ['[1.50,-0.10,1e3,123456789012345]', [1.5, -0.1, 1000, 123456789012345]],
  ['[0.12345678901234567891, 12345678901234567890e-5]', ['0.12345678901234567891', '12345678901234567890e-5']],
  ['[1000000000000000000000, 123456789012345000000]', [1e21, 123456789012345000000]],
  ['{"123456789012345678901": "\\"123456789012345678901"}', { '123456789012345678901': '"123456789012345678901' }],
])('the JSON %s keeps its digits', (text, value) => {
  expect(parseExactly(text)).toStrictEqual(value)
})
