import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { planSql, sqlDatabase, type WrapSqlOptions, wrapSql } from 'jexo/sql'
import type { Report } from '../../src/engine/running-options.js'
import { newFolder, root } from '../support/cli.js'
import { type DatabaseServer, fill, mariadbServer, postgresServer, sqliteFile } from '../support/databases.js'

const postgres: DatabaseServer = await postgresServer()
const mariadb: DatabaseServer = await mariadbServer()

const tables = [
  'create table hives (hive varchar(10) not null primary key, site varchar(40) not null)',
  'create table batches (id integer not null primary key, hive varchar(10) not null references hives(hive), kg decimal(8,2), taken_on date, big bigint, note text)',
  'create table visits (hive varchar(10) not null, day date not null, keeper varchar(20), primary key (hive, day))',
  'create view per_site as select site, count(*) as hives from hives group by site',
  `insert into hives values ('ML-01', 'Marsh Lane'), ('ML-02', 'Quarry Field'), ('ML-03', 'O''Hara''s %_ field')`,
  `insert into batches values (1, 'ML-01', 12.50, '2026-06-01', 9007199254740993, 'Calm bees and a lot of lime'), (2, 'ML-01', 3.25, '2026-06-02', 7, 'Wax moth on the floor'), (3, 'ML-02', 7, null, null, null)`,
  `insert into visits values ('ML-01', '2026-06-01', 'Ada'), ('ML-01', '2026-06-02', 'Bram'), ('ML-02', '2026-06-01', 'Cora')`,
]
const statements = `
-- Batches of one site, the latest first.
-- @name batches_of_site
-- @param site Where the hives stand
-- @param most How many
-- @default 20
select b.id, b.hive, b.kg, b.taken_on, b.big, h.site from batches b join hives h on h.hive = b.hive
where h.site = :site order by b.id desc limit :most;

/* One batch by its number.
   @name one_batch
   @one */
select id, kg from batches where id = :id;

-- Adds a batch.
-- @name add_batch
-- @effect add
-- @param day Day, ISO 8601
-- @optional
insert into batches (id, hive, kg, taken_on) values (:id, :hive, :kg, :day);

-- @name unmarked
delete from batches where id = :id;
-- @name liar
-- @effect read
delete from batches;
-- @name broken
select nothing_such from batches;
-- @name twice
-- @param ghost Who
select 1 as one;
-- @name lays_hands_on
-- @effect change
drop table batches;
`
const queries = join(newFolder(), 'queries.sql')
writeFileSync(queries, statements)

const sources: Record<string, string> = { sqlite: '', postgres: postgres.url, mariadb: mariadb.url }
beforeAll(async () => {
  sources.sqlite = sqliteFile(tables.join(';\n'))
  for (const server of [postgres, mariadb]) {
    await server.start()
    await fill(server.url, tables)
  }
})
afterAll(async () => {
  await postgres.remove()
  await mariadb.remove()
})

const links: Link[] = []
afterEach(async () => {
  for (const link of links.splice(0)) await link.close()
})

async function linkTo(source: string, options: WrapSqlOptions = {}, reports: Report[] = []): Promise<Link> {
  const parts = await wrapSql(source, { name: 'ledger', queries: [queries], adHoc: true, ...options })
  const kit = defineKit({ name: 'ledger', version: '1', parts })
  const link = await connect(kit, { environment: {}, report: (report: Report) => void reports.push(report) })
  links.push(link)
  return link
}
const textOf = (result: { content: readonly object[] }) =>
  result.content.map((block) => ('text' in block ? String(block.text) : '')).join('\n')
const rowsOf = (result: { structuredContent?: unknown }) =>
  (result.structuredContent as { rows: Record<string, unknown>[] }).rows
const textAt = async (link: Link, uri: string) => JSON.parse((await link.read(uri)).contents[0]?.text ?? '')

const kinds = ['sqlite', 'postgres', 'mariadb'] as const
const slow = {
  sqlite: 'with recursive c(x) as (select 1 union all select x + 1 from c) select count(*) from c',
  postgres: 'select pg_sleep(1000)',
  mariadb: 'select sleep(1000)',
}
const endless = {
  sqlite: 'with recursive c(x) as (select 1 union all select x + 1 from c limit 10000000) select x from c',
  postgres: 'with recursive c(x) as (select 1 union all select x + 1 from c where x < 10000000) select x from c',
  mariadb: 'select seq as x from seq_1_to_10000000',
}

describe.each(kinds)('%s', (kind) => {
  const source = () => String(sources[kind])

  test('plans statements as tools with types from the database, and reports what it skips', async () => {
    const plan = await planSql(source(), { queries: [queries], name: 'ledger' })
    expect(plan.tools.map(({ name }) => name)).toStrictEqual(['batches_of_site', 'one_batch', 'add_batch'])
    const [batches, , add] = plan.tools
    expect(batches?.input).toMatchObject({
      required: ['site'],
      properties: {
        site: { type: 'string', description: 'Where the hives stand' },
        most: { type: 'integer', default: 20 },
      },
      additionalProperties: false,
    })
    expect(Object.keys(batches?.row?.properties as object)).toStrictEqual([
      'id',
      'hive',
      'kg',
      'taken_on',
      'big',
      'site',
    ])
    expect(add?.input).toMatchObject({
      properties: {
        // Any integer in SQLite may be too large for a JSON number.
        id: kind === 'sqlite' ? { anyOf: [{ type: 'integer' }, { type: 'string' }] } : { type: 'integer' },
        hive: { type: 'string' },
        kg: { anyOf: [{ type: 'number' }, { type: 'string' }] },
        day: { type: 'string' },
      },
    })
    const reasons = Object.fromEntries(plan.skipped.map(({ name, reason }) => [name, reason]))
    expect(reasons).toStrictEqual({
      unmarked: 'it writes data, but declares no effect',
      liar: 'it declares @effect read, but writes data',
      broken: expect.stringMatching(/the database refused it: .*nothing_such/),
      twice: '@param ghost is not a parameter of the statement',
      lays_hands_on: 'DROP is not a statement that a tool can run',
    })
    expect(plan.skipped[0]?.where).toBe('queries.sql:23')
    expect(plan.tables.map(({ uri }) => uri)).toStrictEqual([
      'ledger://batches/{id}',
      'ledger://hives/{hive}',
      'ledger://per_site',
      'ledger://visits/{hive}/{day}',
    ])
    expect(JSON.stringify(plan)).not.toContain('honey-2026')
  })

  test('returns exact numbers, dates and null', async () => {
    const link = await linkTo(source())
    const found = await link.call('batches_of_site', { site: 'Marsh Lane' })
    expect(rowsOf(found)).toStrictEqual([
      { id: 2, hive: 'ML-01', kg: 3.25, taken_on: '2026-06-02', big: 7, site: 'Marsh Lane' },
      { id: 1, hive: 'ML-01', kg: 12.5, taken_on: '2026-06-01', big: '9007199254740993', site: 'Marsh Lane' },
    ])
    expect((await link.call('one_batch', { id: 3 })).structuredContent).toStrictEqual({ id: 3, kg: 7 })
    expect(await link.call('one_batch', { id: 99 })).toMatchObject({
      isError: true,
      content: [{ text: 'No row found: one_batch returned nothing for {"id":99}.' }],
    })
  })

  test.each([
    "' or 1=1 --",
    "x'; drop table batches; --",
    '" or ""="',
    '\\',
    "\\' or 1=1 #",
    '$1',
    ':site',
    '%',
    '0x31 or 1',
  ])('passes %j as a value everywhere', async (text) => {
    const link = await linkTo(source())
    expect(rowsOf(await link.call('batches_of_site', { site: text }))).toStrictEqual([])
    const wrong = await link.call('one_batch', { id: text })
    expect(textOf(wrong)).toMatch(/id: received/)
    const most = await link.call('batches_of_site', { site: 'Marsh Lane', most: text })
    expect(most.isError).toBe(true)
    await expect(link.read(`ledger://hives/${encodeURIComponent(text)}`)).rejects.toThrow(
      /hives has no row with hive/,
    )
    const ref = { template: 'ledger://hives/{hive}' }
    expect((await link.complete(ref, { name: 'hive', value: text })).values).toStrictEqual([])
    expect((await link.call('one_batch', { id: 1 })).structuredContent).toStrictEqual({ id: 1, kg: 12.5 })
  })

  test('offers rows as resources by key, with completion, and whole views', async () => {
    const link = await linkTo(source())
    expect(await textAt(link, 'ledger://visits/ML-01/2026-06-02')).toStrictEqual({
      hive: 'ML-01',
      day: '2026-06-02',
      keeper: 'Bram',
    })
    expect(await textAt(link, 'ledger://per_site')).toMatchObject({
      rows: expect.arrayContaining([{ site: 'Marsh Lane', hives: 1 }]),
    })
    const ref = { template: 'ledger://visits/{hive}/{day}' }
    expect((await link.complete(ref, { name: 'hive', value: 'ML' })).values).toStrictEqual(['ML-01', 'ML-02'])
    const days = await link.complete(ref, { name: 'day', value: '2026' }, { hive: 'ML-01' })
    expect(days.values).toStrictEqual(['2026-06-01', '2026-06-02'])
    const schema = await textAt(link, 'ledger://schema')
    expect(schema.tables[0]).toMatchObject({ name: 'batches', key: ['id'] })
    expect(schema.tables[0].columns[1].references ?? schema.tables[0].columns[1].name).toMatch(/^hives?/)
    await expect(link.read('ledger://batches/one')).rejects.toThrow(/id is a whole number, not "one"/)
  })

  test('writes only with marked statements, in a transaction', async () => {
    const link = await linkTo(source())
    const added = await link.call('add_batch', { id: 50, hive: 'ML-02', kg: 1.5 })
    expect(added.structuredContent).toStrictEqual({ changed: 1 })
    expect(await textAt(link, 'ledger://batches/50')).toMatchObject({ id: 50, kg: 1.5, taken_on: null })
    const again = await link.call('add_batch', { id: 50, hive: 'ML-02', kg: 1.5 })
    expect(textOf(again)).toMatch(/The ledger database refused the statement: .*(UNIQUE|unique|Duplicate)/)
  })

  test('lets a SELECT of the model read, and nothing else', async () => {
    const link = await linkTo(source())
    const found = await link.call('ask_ledger', { sql: 'select id, id from batches where id < 3 order by 1;' })
    expect(rowsOf(found)).toStrictEqual([
      { id: 1, id_2: 1 },
      { id: 2, id_2: 2 },
    ])
    const refused: [string, RegExp][] = [
      ['delete from batches', /Only a SELECT is allowed here; this is a DELETE/],
      ['select 1; delete from batches', /one statement only/],
      ['', /sql: received/],
      ['-- nothing', /Send a SELECT statement/],
      ['select * from nowhere', /refused the statement: .*nowhere/],
      ['select * from batches where id = :id', /parameters are not supported here/],
      [`with gone as (delete from batches returning id) select * from gone`, /Only reads|refused the statement/],
    ]
    for (const [sql, message] of refused) expect(textOf(await link.call('ask_ledger', { sql }))).toMatch(message)
    expect(
      rowsOf(await link.call('ask_ledger', { sql: 'select count(*) as n from batches where id <= 3' })),
    ).toStrictEqual([{ n: 3 }])
    expect((await link.call('explain_ledger', { words: 'site' })).content[0]).toMatchObject({
      text: expect.stringContaining('per_site(site, hives)'),
    })
    expect(textOf(await link.call('explain_ledger', { table: 'hive' }))).toMatch(/did you mean hives/)
  })

  test('stops at the limit of rows or bytes, and returns the next rows on request', async () => {
    const link = await linkTo(source(), { limits: { maxRows: 40 } })
    const first = await link.call('ask_ledger', { sql: endless[kind] })
    expect(rowsOf(first)).toHaveLength(40)
    expect(textOf(first)).toMatch(/These are the first 40 rows; there are more.*skip 40/)
    const next = await link.call('ask_ledger', { sql: endless[kind], skip: 40 })
    expect(rowsOf(next)[0]).toStrictEqual({ x: 41 })
    const small = await linkTo(source(), { limits: { maxBytes: 100 } })
    const cut = await small.call('ask_ledger', { sql: endless[kind] })
    expect(rowsOf(cut).length).toBeLessThan(100)
    expect(textOf(cut)).toMatch(/the limit of one result/)
  })

  test('stops a statement that is too slow or whose call is cancelled, and keeps working', async () => {
    const link = await linkTo(source(), { limits: { timeoutMs: 1000 } })
    const late = await link.call('ask_ledger', { sql: slow[kind] })
    expect(textOf(late)).toMatch(/took longer than 1000 ms, and the statement was stopped/)
    const patient = await linkTo(source(), { limits: { timeoutMs: 60_000 } })
    const ending = new AbortController()
    const cancelled = patient.call('ask_ledger', { sql: slow[kind] }, { signal: ending.signal })
    setTimeout(() => ending.abort(), 300)
    await expect(cancelled).rejects.toThrow()
    expect((await patient.call('one_batch', { id: 1 })).structuredContent).toStrictEqual({ id: 1, kg: 12.5 })
  })

  test('rolls back the writes of a cancelled call', async () => {
    const database = await sqlDatabase(source()).open({
      settings: {},
      resourceUpdated() {},
      resourcesChanged() {},
      report() {},
      exchange() {},
    })
    const ending = new AbortController()
    const many = {
      sqlite: `insert into visits with recursive c(x) as (select 1 union all select x + 1 from c) select 'ML-99', x, '' from c`,
      postgres: `insert into visits select 'ML-99', date '2000-01-01' + x, pg_sleep(0.01)::text from generate_series(1, 1000) as x`,
      mariadb: `insert into visits select 'ML-99', date_add('2000-01-01', interval seq day), sleep(0.01) from seq_1_to_100000`,
    }
    const call = {
      signal: ending.signal,
      upstream: (_kind: string, _label: string, run: (notes: object) => unknown) => run({}),
    }
    const written = database.change(many[kind], {}, call as never)
    setTimeout(() => ending.abort(), 300)
    await expect(written).rejects.toThrow(/cancelled; nothing was changed/)
    expect(await database.rows(`select count(*) as n from visits where hive = 'ML-99'`)).toStrictEqual([{ n: 0 }])
    await database.close()
  })

  test('finds rows by their text', async () => {
    const link = await linkTo(source(), { search: { columns: ['batches.note'] } })
    const { rows } = (await link.call('search_ledger', { query: 'moths' })).structuredContent as { rows: object[] }
    expect(rows).toStrictEqual([
      expect.objectContaining({ table: 'batches', key: { id: 2 }, column: 'note', uri: 'ledger://batches/2' }),
    ])
    const embed = async (texts: readonly string[]) =>
      texts.map((text) => (/wax|insect/i.test(text) ? [0, 1] : [1, 0.1]))
    const alike = await linkTo(source(), { search: { columns: ['batches.note'], embed } })
    expect((await alike.call('search_ledger', { query: 'insects', most: 1 })).structuredContent).toMatchObject({
      rows: [{ key: { id: 2 } }],
    })
    await expect(linkTo(source(), { search: { columns: ['batches.notes'] } })).rejects.toThrow(
      /no column "batches.notes" to search; did you mean "batches.note"/,
    )
  })
})

describe.each([
  ['postgres', postgres],
  ['mariadb', mariadb],
] as const)('a %s server', (_kind, server) => {
  test('returns a readable error if it goes away during a call, and works again when it is back', async () => {
    const reports: Report[] = []
    const link = await linkTo(server.url, {}, reports)
    const kind = server === postgres ? 'postgres' : 'mariadb'
    await link.call('one_batch', { id: 1 })
    const during = link.call('ask_ledger', { sql: slow[kind] })
    await new Promise((resolve) => setTimeout(resolve, 500))
    await server.kill()
    expect(textOf(await during)).toMatch(/^The ledger database is not reachable; try again in a moment\.$/)
    expect(textOf(await link.call('one_batch', { id: 1 }))).toMatch(
      /^The ledger database is not reachable; try again/,
    )
    await server.start()
    expect((await link.call('one_batch', { id: 1 })).structuredContent).toStrictEqual({ id: 1, kg: 12.5 })
    expect(reports.map(({ text }) => text).join('\n')).not.toContain('honey-2026')
  })

  test('is a warning if it is down at startup, and its parts report it until it is back', async () => {
    await server.kill()
    const reports: Report[] = []
    const link = await linkTo(server.url, { only: ['one_batch', 'batches'] }, reports)
    expect((await link.tools()).map(({ name }) => name)).toContain('one_batch')
    expect(textOf(await link.call('one_batch', { id: 1 }))).toMatch(/The database cannot be reached now/)
    expect(reports).toStrictEqual([
      {
        level: 'warning',
        text: expect.stringMatching(/the database cannot be reached .* Its parts report this until it connects\.$/),
      },
      { level: 'error', text: expect.stringMatching(/^tool one_batch failed .*ECONNREFUSED/) },
    ])
    const changed = new Promise((resolve) => link.on('toolsChanged', resolve))
    await server.start()
    await changed
    expect((await link.templates()).map(({ uriTemplate }) => uriTemplate)).toStrictEqual(['ledger://batches/{id}'])
    expect((await link.call('one_batch', { id: 1 })).structuredContent).toStrictEqual({ id: 1, kg: 12.5 })
    expect(await textAt(link, 'ledger://batches/1')).toMatchObject({ hive: 'ML-01' })
  })

  test('reports a wrong password without printing it', async () => {
    const wrong = server.url.replace('honey-2026', 'wrong-0815')
    const failed = await planSql(wrong).catch((error: Error) => error.message)
    expect(failed).toMatch(
      /the database cannot be reached .*; check that it runs, and check its address, user and password/,
    )
    expect(failed).not.toContain('wrong-0815')
  })
})

test('comments in the database describe tables, columns and arguments', async () => {
  await fill(postgres.url, [
    'create table flowers (name text primary key, starts date)',
    `comment on table flowers is 'What blooms when.'`,
    `comment on column flowers.starts is 'First day of bloom.'`,
  ])
  await fill(mariadb.url, [
    `create table flowers (name varchar(20) primary key, starts date comment 'First day of bloom.') comment 'What blooms when.'`,
  ])
  const file = sqliteFile(
    'create table flowers ( -- What blooms when.\n name text primary key,\n starts date -- First day of bloom.\n)',
  )
  const asking = join(newFolder(), 'blooming.sql')
  writeFileSync(asking, 'select name, starts from flowers where starts >= :day')
  for (const source of [file, postgres.url, mariadb.url]) {
    const { tables: found, tools } = await planSql(source, { queries: [asking], only: ['flowers', 'blooming'] })
    expect(found).toMatchObject([{ about: 'What blooms when.', columns: [{}, { about: 'First day of bloom.' }] }])
    expect(tools).toMatchObject([
      {
        name: 'blooming',
        about: 'Rows of flowers: name, starts.',
        input: { properties: { day: { description: 'First day of bloom.' } } },
      },
    ])
  }
})

describe('a SQLite file', () => {
  test('that is missing, invalid or locked is reported in one sentence', async () => {
    const missing = join(newFolder(), 'none.sqlite')
    await expect(planSql(missing)).rejects.toThrow(
      /none\.sqlite: the database cannot be reached \(there is no file/,
    )
    const other = join(newFolder(), 'other.sqlite')
    writeFileSync(other, 'no database, but long enough to be looked at as one, is it not? '.repeat(20))
    await expect(planSql(other)).rejects.toThrow(/the file is not a SQLite database/)
    const file = sqliteFile(tables.join(';\n'))
    const link = await linkTo(file, { limits: { timeoutMs: 600 } })
    const { createRequire } = await import('node:module')
    const other2 = new (createRequire(import.meta.url)('libsql'))(file)
    other2.exec('begin exclusive')
    expect(textOf(await link.call('one_batch', { id: 1 }))).toMatch(/The database cannot be reached now/)
    other2.exec('rollback')
    expect((await link.call('one_batch', { id: 1 })).structuredContent).toStrictEqual({ id: 1, kg: 12.5 })
  })

  test('is created once if it is missing, and never by a SELECT', async () => {
    const file = join(newFolder(), 'new.sqlite')
    const ledger = sqlDatabase(file, { create: tables.join(';\n') })
    const parts = await wrapSql(ledger, { only: ['hives'] })
    const link = await connect(defineKit({ name: 'x', version: '1', parts }))
    expect(await textAt(link, 'new://hives/ML-01')).toStrictEqual({ hive: 'ML-01', site: 'Marsh Lane' })
    await link.close()
  })
})

test('plans match their JSON Schemas', async () => {
  const { planFolder } = await import('jexo/folder')
  const { planFeed } = await import('jexo/feed')
  const { compilingValidator } = await import('../../src/kit/compiling-validator.js')
  const plans = {
    sql: await planSql(String(sources.sqlite), { queries: [queries], adHoc: true }),
    folder: await planFolder(join(root, 'docs')),
    feed: planFeed('mqtt://x', {
      name: 'x',
      channels: { w: { topic: 'a/{b}', labels: { 0: 'fine' }, unit: 'kg' } },
    }),
  }
  for (const [kind, plan] of Object.entries(plans)) {
    const schema = JSON.parse(readFileSync(join(root, `schemas/${kind}-plan.schema.json`), 'utf8'))
    const check = await compilingValidator.prepare(schema)
    expect(check(JSON.parse(JSON.stringify(plan)))).toStrictEqual([])
  }
})

test.each([
  ['oracle://x/y', /is not a supported kind of database/],
  ['ledger.sqlite', /depends on the folder in which/],
])('%s is refused', async (source, message) => {
  await expect(wrapSql(source)).rejects.toThrow(message)
})

describe('vectors in the database', () => {
  const notes = ['Wax moth on the floor', 'Calm bees', 'Honey is ripe', 'Mites were counted']
  const vectorOf = (text: string) =>
    /moth|insect|mite/i.test(text) ? [0, 1, 0] : /honey|sweet/i.test(text) ? [0, 0, 1] : [1, 0.1, 0]
  const embed = async (texts: readonly string[]) => texts.map(vectorOf)
  const inserts = (put: (vector: string) => string) =>
    notes.map(
      (note, at) => `insert into notes values (${at + 1}, '${note}', ${put(JSON.stringify(vectorOf(note)))}, null)`,
    )

  /** PostgreSQL's vector extension may be missing: a type of that name with an operator that compares in the same way. */
  const standIn = [
    'create type vector as (items float8[])',
    `create function vector_of(text) returns vector language sql as $$ select row(translate($1, '[]', '{}')::float8[])::vector $$`,
    'create cast (text as vector) with function vector_of(text)',
    `create function cosine(vector, vector) returns float8 language sql as $$ select 1 - sum(a * b) / nullif(sqrt(sum(a * a)) * sqrt(sum(b * b)), 0)
      from unnest(($1).items, ($2).items) as pairs(a, b) $$`,
    'create operator <=> (leftarg = vector, rightarg = vector, function = cosine)',
  ]
  test.each([
    ['libsql, with its index', 'sqlite', ['create index near on notes (libsql_vector_idx(note_vector))']],
    ['libsql, without an index', 'sqlite', []],
    ['postgres', 'postgres', []],
  ])('%s: the nearest rows are found by vector, and no reader sees the vectors', async (_title, kind, more) => {
    const isSqlite = kind === 'sqlite'
    const script = [
      `create table notes (id integer primary key, note text, note_vector ${isSqlite ? 'f32_blob(3)' : 'vector'}, "odd ]name" text)`,
      ...more,
      ...inserts((vector) => (isSqlite ? `vector32('${vector}')` : `'${vector}'::text::vector`)),
    ]
    if (!isSqlite) await fill(postgres.url, [...standIn, ...script])
    const source = isSqlite ? sqliteFile(script.join(';\n')) : postgres.url
    const asked: (readonly string[])[] = []
    const counted = (texts: readonly string[]) => {
      asked.push(texts)
      return embed(texts)
    }
    const link = await linkTo(source, { name: 'ledger', search: { columns: ['notes.note'], embed: counted } })
    const found = await link.call('search_ledger', { query: 'insects', most: 2 })
    const { rows } = found.structuredContent as { rows: { key: { id: number } }[] }
    expect(rows.map(({ key }) => key.id).sort()).toStrictEqual([1, 4])
    expect(asked).toStrictEqual([['insects']])
    expect(JSON.parse((await link.read('ledger://notes/1')).contents[0]?.text ?? '')).toStrictEqual({
      id: 1,
      note: notes[0],
      'odd ]name': null,
    })
    const tables = JSON.parse((await link.read('ledger://schema')).contents[0]?.text ?? '').tables
    expect(
      tables.map(({ name }: { name: string }) => name).filter((name: string) => /shadow|near/.test(name)),
    ).toStrictEqual([])
  })

  test('a missing vector column is an error', async () => {
    const source = sqliteFile('create table notes (id integer primary key, note text)')
    const search = { columns: ['notes.note'], embed, vectorColumns: { 'notes.note': 'other' } }
    await expect(linkTo(source, { name: 'ledger', search })).rejects.toThrow(/no column "other" to search/)
  })

  test('if the model fails or returns vectors of another size, words are searched', async () => {
    const source = sqliteFile(
      [
        'create table notes (id integer primary key, note text, note_vector f32_blob(3), more text)',
        ...inserts((vector) => `vector32('${vector}')`),
      ].join(';\n'),
    )
    for (const broken of [
      () => Promise.reject(new Error('asleep')),
      async () => [[1, 2]],
      async () => [[Number.NaN, 0, 0]],
    ]) {
      const link = await linkTo(source, { name: 'ledger', search: { columns: ['notes.note'], embed: broken } })
      const found = await link.call('search_ledger', { query: 'ripe honey', most: 1 })
      expect(found.structuredContent).toMatchObject({ rows: [{ key: { id: 3 } }] })
    }
  })
})
