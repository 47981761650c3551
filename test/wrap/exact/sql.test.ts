import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { wrapSql } from 'jexo/sql'
import { parseExactly } from '../../../src/wrap/sql/exact-json.js'
import { newFolder } from '../../support/cli.js'
import { fill, mariadbServer, postgresServer, sqliteFile } from '../../support/databases.js'

/** Values that a database holds more exactly than JSON: each is stored, read, and found again as what it was. */
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

  test('what is put comes back as it was, and is found by it', async () => {
    const link = await linked(dialect)
    expect((await link.call('put', { code: 'a', ...sample })).isError).toBeUndefined()
    const { structuredContent } = await link.call('got', { code: 'a' })
    expect(structuredContent).toEqual({
      ...sample,
      data: dialect === 'sqlite' ? sample.data : { id: '9007199254740993', kg: [1.5, '0.1234567890123456789'] },
    })
    for (const [tool, value] of [
      ['by_big', { big: sample.big }],
      ['by_raw', { raw: sample.raw }],
    ] as const)
      expect((await link.call(tool, value)).structuredContent).toEqual({ rows: [{ code: 'a' }] })
  })

  test('what would be stored as something else is refused', async () => {
    const link = await linked(dialect)
    const put = async (more: object) => {
      const { isError, content } = await link.call('put', { code: 'b', ...sample, ...more } as never)
      return [isError, (content[0] as { text: string }).text]
    }
    expect(await put({ raw: '*' })).toEqual([true, expect.stringContaining('raw is not base64')])
    expect(await put({ big: 9007199254740992 })).toEqual([
      true,
      expect.stringMatching(/big is a whole number that JSON rounds/),
    ])
    expect(await put({ big: 'many' })).toEqual([true, expect.stringMatching(/big: received "many"/)])
    expect((await link.call('by_big', { big: '7' })).structuredContent).toEqual({ rows: [] })
  })

  test('a row is found by the key that it shows', async () => {
    const link = await linked(dialect)
    const row = async (uri: string) => JSON.parse((await link.read(uri)).contents[0]?.text ?? '')
    expect(await row('lab://counters/9007199254740993')).toEqual({ id: '9007199254740993', kg: 7 })
    if (dialect !== 'sqlite') return
    expect(await row('lab://loose/5')).toEqual({ id: 5, what: 'number' })
    expect(await row('lab://loose/7')).toEqual({ id: '7', what: 'text' })
    expect(await row('lab://prints/AP8Q')).toEqual({ hash: 'AP8Q', what: 'bytes' })
  })
})

test.each([
  ['{"a":9007199254740993,"b":"9007199254740993"}', { a: '9007199254740993', b: '9007199254740993' }],
  ['[1.50,-0.10,1e3,123456789012345]', [1.5, -0.1, 1000, 123456789012345]],
  ['[0.12345678901234567891, 12345678901234567890e-5]', ['0.12345678901234567891', '12345678901234567890e-5']],
  ['[1000000000000000000000, 123456789012345000000]', [1e21, 123456789012345000000]],
  ['{"123456789012345678901": "\\"123456789012345678901"}', { '123456789012345678901': '"123456789012345678901' }],
])('the JSON %s keeps its digits', (text, value) => {
  expect(parseExactly(text)).toEqual(value)
})
