import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { defineKit } from 'jexo'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { wrapSql } from 'jexo/sql'
import type { Report } from '../../src/engine/running-options.js'
import { newFolder } from '../support/cli.js'
import { type DatabaseServer, fill, mariadbServer, postgresServer, sqliteFile } from '../support/databases.js'

/** Ad-hoc statements that try to use files, settings, other sessions or too much memory, one a row. */
const postgres: DatabaseServer = await postgresServer()
const mariadb: DatabaseServer = await mariadbServer()
const out = join(newFolder(), 'written.txt')
const links: Record<string, Link> = {}
const reports: Report[] = []

const tables = [
  'create table hives (hive varchar(10) not null primary key, site varchar(40))',
  "insert into hives values ('ML-01', 'Marsh Lane')",
]
const sqliteOnly = [
  'create view broken as select * from gone',
  "create view leaking as select readfile('/etc/passwd') as text",
  'create virtual table notes using fts5(body)',
  "insert into notes values ('calm bees')",
]
const postgresOnly = [
  'create view broken as select 1 as one',
  `create function count_hives() returns bigint language sql volatile as 'select count(*) from hives'`,
  `create function site_of(text) returns text language sql stable as 'select site::text from hives where hive = $1'`,
]
const mariadbOnly = ['create table gone (x int)', 'create view broken as select x from gone', 'drop table gone']

beforeAll(async () => {
  await Promise.all([postgres.start(), mariadb.start()])
  await fill(postgres.url, [...tables, ...postgresOnly])
  await fill(mariadb.url, [...tables, ...mariadbOnly])
  const sources = {
    sqlite: sqliteFile([...tables, ...sqliteOnly].join(';\n')),
    postgres: postgres.url,
    mariadb: mariadb.url,
  }
  for (const [name, source] of Object.entries(sources)) {
    const parts = await wrapSql(source, { name: 'ledger', adHoc: true, limits: { timeoutMs: 2500 } })
    const kit = defineKit({ name: 'ledger', version: '1.0.0', parts })
    links[name] = await connect(kit, { environment: {}, report: (report: Report) => void reports.push(report) })
  }
})
afterAll(async () => {
  for (const link of Object.values(links)) await link.close()
  await Promise.all([postgres.remove(), mariadb.remove()])
})

const ask = async (database: string, sql: string) => {
  const result = await links[database]?.call('ask_ledger', { sql })
  const { text = '' } = (result?.content[0] ?? {}) as { text?: string }
  return { text, isError: result?.isError === true }
}

const refused: readonly (readonly [database: string, statement: string])[] = [
  ['sqlite', `select readfile('/etc/passwd')`],
  ['sqlite', `select "ReadFile"('/etc/passwd')`],
  ['sqlite', `select [readfile]('/etc/passwd')`],
  ['sqlite', "select `readfile`/* */('/etc/passwd')"],
  ['sqlite', `select writefile('${out}', 'x')`],
  ['sqlite', `select (select max(readfile(name)) from pragma_table_list)`],
  ['sqlite', `with a as (select readfile('/etc/passwd') t) select 1 from hives where exists (select t from a)`],
  ['sqlite', `select 1 from hives order by writefile('${out}', 'x')`],
  ['sqlite', `select 1 from hives group by hive having length(readfile('/etc/passwd')) > 1`],
  ['sqlite', `select name from fsdir('/etc')`],
  ['sqlite', `select name from "FSDIR"('/etc')`],
  ['sqlite', `select x.name from 'fsdir' as x where x.path = '/etc'`],
  ['sqlite', `select * from sqlite_dbpage`],
  ['sqlite', `select * from main.dbstat`],
  ['sqlite', `select * from pragma_database_list`],
  ['sqlite', `select sha3_query('select 1')`],
  ['sqlite', `select load_extension('/tmp/x')`],
  ['sqlite', `select fts3_tokenizer('simple')`],
  ['sqlite', `select sqlite3mc_config('cipher')`],
  ['sqlite', `select * from leaking`],
  ['postgres', `select pg_read_file('/etc/passwd')`],
  ['postgres', `select "pg_read_file"('/etc/passwd')`],
  ['postgres', `select pg_catalog.pg_read_file /* */ ('/etc/passwd')`],
  ['postgres', `select U&"pg\\005fread_file"('/etc/passwd')`],
  ['postgres', `select $a1$ $a1$ || pg_read_file('/etc/passwd') || $a1$ $a1$`],
  ['postgres', `select 1 as €$a$, pg_read_file('/etc/passwd') as b, 2 as €$a$`],
  ['postgres', `select * from pg_ls_dir('/')`],
  ['postgres', `select lo_import('/etc/passwd')`],
  ['postgres', `select pg_terminate_backend(pid) from pg_stat_activity`],
  ['postgres', `select set_config('statement_timeout', '0', false)`],
  ['postgres', `select query_to_xml('select pg_read_file(''/etc/passwd'')', true, true, '')`],
  ['postgres', `select database_to_xml(true, true, '')`],
  ['postgres', `select * from ts_stat('select to_tsvector(pg_read_file(''/etc/passwd''))')`],
  ['postgres', `select pg_reload_conf()`],
  ['postgres', `select count_hives()`],
  ['postgres', `select passwd from pg_shadow`],
  ['postgres', `select rolpassword from "pg_authid"`],
  ['postgres', `select * into stolen from hives`],
  ['postgres', `copy hives to program 'id'`],
  ['mariadb', `select load_file('/etc/passwd')`],
  ['mariadb', "select `load_file`('/etc/passwd')"],
  ['mariadb', `select LOAD_FILE /**/ ('/etc/passwd')`],
  ['mariadb', `select 1 --1 into outfile '${out}'`],
  ['mariadb', `select 1--2 into dumpfile '${out}'`],
  ['mariadb', `select 1.into outfile '${out}'`],
  ['mariadb', `select 1 /*! into outfile '${out}' */`],
  ['mariadb', `select 1 /*M!100000 into outfile '${out}' */`],
  ['mariadb', `select '\\\\' into outfile '${out}' -- '`],
  ['mariadb', `select hive from hives into @a`],
  ['mariadb', `select @@datadir`],
  ['mariadb', `select @ @datadir`],
  ['mariadb', `select * from mysql.user`],
  ['mariadb', 'select * from `mysql` . `global_priv`'],
  ['mariadb', `select * from information_schema.processlist`],
  ['mariadb', `select get_lock('a', 100)`],
]

test.each(refused)('%s refuses %s', async (database, statement) => {
  const { text, isError } = await ask(database, statement)
  expect({ text, isError }).toStrictEqual({ text: expect.any(String), isError: true })
  expect(text).not.toMatch(/root:|daemon/)
  expect(text).toMatch(/not allowed|refused the statement|Only a SELECT|unsafe/)
  expect(existsSync(out)).toBe(false)
})

const bounded: readonly (readonly [database: string, statement: string])[] = [
  ['sqlite', `select zeroblob(900000000)`],
  ['sqlite', `select hex(zeroblob(400000000))`],
  ['sqlite', `select printf('%900000000d', 1)`],
  ['sqlite', `select group_concat(hex(randomblob(1000000))) from generate_series(1, 1000)`],
  ['sqlite', `with recursive n(x) as (select 1 union all select x + 1 from n) select count(*) from n`],
  ['postgres', `select repeat('x', 600000000)`],
  ['postgres', `select string_agg(repeat('x', 1000000), '') from generate_series(1, 500)`],
  ['postgres', `select repeat('x', 30000000), repeat('y', 30000000) from generate_series(1, 100)`],
  ['postgres', `select pg_sleep(60)`],
  ['mariadb', `select repeat('x', 16000000), repeat('y', 16000000), repeat('z', 16000000)`],
  ['mariadb', `select sleep(60) from hives`],
]

test.each(bounded)('%s bounds %s', async (database, statement) => {
  const { isError, text } = await ask(database, statement)
  expect({ isError, text: text.slice(0, 200) }).toStrictEqual({
    isError: true,
    text: expect.stringMatching(/memory|bytes; select less|longer than|too big|refused/),
  })
  // The connection pool still works.
  expect(await ask(database, 'select hive from hives')).toStrictEqual({
    isError: false,
    text: expect.stringContaining('ML-01'),
  })
})

const allowed: readonly (readonly [database: string, statement: string])[] = [
  ['sqlite', `select upper(hive), count(*) over (), json_extract('{"a":1}', '$.a') from hives, json_each('[1]')`],
  ['sqlite', `select body from notes where notes match 'calm' order by bm25(notes)`],
  ['sqlite', `select strftime('%Y', 'now'), group_concat(site, ', '), round(avg(1.5), 1) from hives`],
  ['sqlite', `select name from pragma_table_info('hives')`],
  ['sqlite', `select 'readfile(1) and fsdir' as text`],
  ['postgres', `select upper(hive), count(*) over (), now(), random(), site_of('ML-01') from hives`],
  ['postgres', `select 'pg_read_file(1) into' as text, jsonb_build_object('a', 1)->>'a'`],
  [
    'postgres',
    `select h.hive from hives h join lateral (select array_agg(x) from generate_series(1, 3) x) g on true`,
  ],
  ['mariadb', `select upper(hive), count(*), now(), 'load_file(1) into' as text from hives -- into outfile`],
  ['mariadb', `select 2--1 as three, @x := 1 from hives`],
]

test.each(allowed)('%s answers %s', async (database, statement) => {
  expect(await ask(database, statement)).toStrictEqual({ isError: false, text: expect.any(String) })
})

test('a view that the database cannot describe is skipped, and the rest is wrapped', async () => {
  for (const link of Object.values(links)) expect((await link.tools()).length).toBe(2)
  const { text } = await ask('sqlite', 'select site from hives')
  expect(text).toContain('Marsh Lane')
})

test('a role that may read files of the server is a warning at startup', () => {
  const warnings = reports.flatMap((report) => (report.level === 'warning' ? [report.text] : []))
  expect([...warnings].sort()).toStrictEqual([
    expect.stringContaining('on the whole server'),
    expect.stringContaining('superuser'),
  ])
})
