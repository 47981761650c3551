import { type ColumnMetadata, sql, type TableMetadata } from 'kysely'
import type { JsonSchema } from '../../kit/schema.js'
import { namedTypeSchema, sqliteSchema } from './column-types.js'
import { type SqlDriver, SqlFailure } from './driver.js'
import { kyselyOver } from './through-kysely.js'
import { isCode, type Token, tokensIn } from './tokens.js'

export interface TableColumn {
  readonly name: string
  /** As the database names it. */
  readonly type: string
  readonly schema: JsonSchema
  readonly isNullable: boolean
  /** The database's own comment. */
  readonly about?: string
}
export interface Table {
  /** With its schema in front where that is not the usual one. */
  readonly name: string
  readonly schema?: string
  readonly bareName: string
  readonly isView: boolean
  readonly about?: string
  readonly columns: readonly TableColumn[]
  /** Columns of the primary key. */
  readonly key: readonly string[]
  /** Columns that point to other tables. */
  readonly references: readonly { readonly column: string; readonly to: string }[]
}

/** A table or view that the database lists but cannot describe, such as a view of a table that is gone. */
export interface RefusedTable {
  readonly name: string
  readonly reason: string
}

interface Facts {
  /** By table, as `schema.table` where there are schemas. */
  readonly keys: ReadonlyMap<string, readonly string[]>
  readonly comments: ReadonlyMap<string, string>
  readonly columnComments: ReadonlyMap<string, string>
  readonly references: ReadonlyMap<string, Table['references']>
}

/** Tables and views of a database, with their keys and comments, and those that the database itself refuses to describe. */
export async function readTables(
  driver: SqlDriver,
  timeoutMs: number,
): Promise<{ tables: Table[]; refused: RefusedTable[] }> {
  const database = kyselyOver(driver, timeoutMs)
  const rows = async (text: string): Promise<Record<string, string>[]> =>
    (await sql.raw<Record<string, string>>(text).execute(database)).rows
  const { found, refused } = await describedTables(database, driver.dialect, rows)
  const facts = await { sqlite: sqliteFacts, postgres: postgresFacts, mysql: mysqlFacts }[driver.dialect](
    rows,
    refused,
  )
  const tables = found.map(({ name: bareName, schema, isView, columns }): Table => {
    const key = driver.dialect === 'postgres' ? `${schema}.${bareName}` : bareName
    const about = facts.comments.get(key)
    return {
      name: driver.dialect === 'postgres' && schema !== 'public' ? key : bareName,
      ...(driver.dialect === 'postgres' && schema !== undefined ? { schema } : {}),
      bareName,
      isView,
      ...(about ? { about } : {}),
      columns: columns.map(({ name, dataType, isNullable, comment }): TableColumn => {
        const said = comment ?? facts.columnComments.get(`${key}.${name}`)
        const schemaOf = driver.dialect === 'sqlite' ? sqliteSchema : namedTypeSchema
        return { name, type: dataType, schema: schemaOf(dataType), isNullable, ...(said ? { about: said } : {}) }
      }),
      key: facts.keys.get(key) ?? [],
      references: facts.references.get(key) ?? [],
    }
  })
  return { tables, refused }
}

type FoundTable = Pick<TableMetadata, 'name' | 'schema' | 'isView'> & {
  readonly columns: readonly Pick<ColumnMetadata, 'name' | 'dataType' | 'isNullable' | 'comment'>[]
}

/** SQLite describes all tables by one statement, which fails as a whole if one of them is broken; then each is asked for by itself. */
async function describedTables(
  database: ReturnType<typeof kyselyOver>,
  dialect: SqlDriver['dialect'],
  rows: Rows,
): Promise<{ found: readonly FoundTable[]; refused: RefusedTable[] }> {
  try {
    return { found: await database.introspection.getTables(), refused: [] }
  } catch (error) {
    if (dialect !== 'sqlite' || !(error instanceof SqlFailure) || error.kind !== 'statement') throw error
  }
  const found: FoundTable[] = []
  const refused: RefusedTable[] = []
  const listed = await rows(
    `select name as t, type as c from sqlite_master where type in ('table', 'view') and name not like 'sqlite_%' order by name`,
  )
  for (const { t: name = '', c: type } of listed) {
    try {
      const columns = await rows(
        `select name, type, "notnull" as n from pragma_table_info(${quoted(name)}) order by cid`,
      )
      found.push({
        name,
        isView: type === 'view',
        columns: columns.map((column) => ({
          name: String(column.name),
          dataType: String(column.type),
          isNullable: Number(column.n) === 0,
        })),
      })
    } catch (error) {
      if (!(error instanceof SqlFailure) || error.kind !== 'statement') throw error
      refused.push({ name, reason: error.message })
    }
  }
  return { found, refused }
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`

type Rows = (text: string) => Promise<Record<string, string>[]>

const grouped = <T>(rows: readonly Record<string, string>[], of: (row: Record<string, string>) => T) => {
  const groups = new Map<string, T[]>()
  for (const row of rows) groups.set(String(row.t), [...(groups.get(String(row.t)) ?? []), of(row)])
  return groups
}
const referenceOf = ({ c, target }: Record<string, string>) => ({ column: String(c), to: String(target) })
const commentsIn = (rows: readonly Record<string, string>[]) =>
  new Map(rows.flatMap(({ t, about }) => (about ? [[String(t), String(about)] as const] : [])))

/** SQLite keeps the text that made a table, and with it the comments that stand there. */
async function sqliteFacts(rows: Rows, refused: readonly RefusedTable[]): Promise<Facts> {
  const without =
    refused.length > 0 ? ` and name not in (${refused.map(({ name }) => quoted(name)).join(', ')})` : ''
  const tables = `(select name, sql from sqlite_master where type in ('table', 'view')${without})`
  const keys = await rows(
    `select m.name as t, p.name as c from ${tables} m, pragma_table_info(m.name) p where p.pk > 0 order by m.name, p.pk`,
  )
  const references = await rows(
    `select m.name as t, f."from" as c, f."table" || coalesce('.' || f."to", '') as target from ${tables} m, pragma_foreign_key_list(m.name) f`,
  )
  const made = (await rows(`select name as t, sql as about from ${tables}`)).map(({ t = '', about }) => ({
    t,
    said: commentsOfText(String(about ?? '')),
  }))
  return {
    keys: grouped(keys, ({ c }) => String(c)),
    references: grouped(references, referenceOf),
    comments: new Map(made.flatMap(({ t, said }) => (said.table ? [[t, said.table] as const] : []))),
    columnComments: new Map(
      made.flatMap(({ t, said }) => [...said.columns].map(([column, text]) => [`${t}.${column}`, text] as const)),
    ),
  }
}

/** A comment after the opening bracket, or the `as` of a view, is of the table; one at the end of a column's line is of the column. */
function commentsOfText(text: string): { table?: string; columns: Map<string, string> } {
  const columns = new Map<string, string>()
  const tokens = tokensIn(text, 'sqlite')
  const opening = tokens.findIndex(
    ({ kind, text: word }) => word === '(' || (kind === 'word' && /^as$/i.test(word)),
  )
  let table: string | undefined
  let column: string | undefined
  let isAtStart = true
  let depth = 0
  const nameIn = ({ kind, text: word }: Token) => (kind === 'name' ? word.slice(1, -1) : word)
  for (const token of tokens.slice(opening + 1)) {
    if (token.kind === 'comment') {
      const said = token.text.replace(/^--|^\/\*|\*\/$/g, '').trim()
      if (column === undefined) table = table === undefined ? said : `${table} ${said}`
      else if (!columns.has(column)) columns.set(column, said)
    } else if (token.text === '(') depth++
    else if (token.text === ')') depth--
    else if (token.text === ',' && depth === 0) isAtStart = true
    else if (isCode(token) && isAtStart) {
      column = nameIn(token)
      isAtStart = false
    }
  }
  return { ...(table === undefined ? {} : { table }), columns }
}

async function postgresFacts(rows: Rows): Promise<Facts> {
  const within = `from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
    cross join lateral unnest(k.conkey) with ordinality as place(attnum, position)
    join pg_attribute a on a.attrelid = k.conrelid and a.attnum = place.attnum`
  const table = `n.nspname || '.' || c.relname as t`
  return {
    keys: grouped(
      await rows(`select ${table}, a.attname as c ${within} where k.contype = 'p' order by 1, place.position`),
      ({ c }) => String(c),
    ),
    references: grouped(
      await rows(
        `select ${table}, a.attname as c, k.confrelid::regclass::text as target ${within} where k.contype = 'f'`,
      ),
      referenceOf,
    ),
    comments: commentsIn(
      await rows(
        `select ${table}, obj_description(c.oid, 'pg_class') as about from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'v', 'p', 'm')`,
      ),
    ),
    columnComments: new Map(),
  }
}

async function mysqlFacts(rows: Rows): Promise<Facts> {
  const within = 'from information_schema.KEY_COLUMN_USAGE where TABLE_SCHEMA = database()'
  return {
    keys: grouped(
      await rows(
        `select TABLE_NAME as t, COLUMN_NAME as c ${within} and CONSTRAINT_NAME = 'PRIMARY' order by TABLE_NAME, ORDINAL_POSITION`,
      ),
      ({ c }) => String(c),
    ),
    references: grouped(
      await rows(
        `select TABLE_NAME as t, COLUMN_NAME as c, concat(REFERENCED_TABLE_NAME, '.', REFERENCED_COLUMN_NAME) as target ${within} and REFERENCED_TABLE_NAME is not null`,
      ),
      referenceOf,
    ),
    comments: commentsIn(
      await rows(
        `select TABLE_NAME as t, TABLE_COMMENT as about from information_schema.TABLES where TABLE_SCHEMA = database() and TABLE_COMMENT not in ('', 'VIEW')`,
      ),
    ),
    columnComments: new Map(),
  }
}
