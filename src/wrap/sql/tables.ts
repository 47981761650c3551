import { type ColumnMetadata, sql, type TableMetadata } from 'kysely'
import type { JsonSchema } from '../../kit/schema.js'
import { namedTypeSchema, sqliteSchema } from './column-types.js'
import { type SqlDriver, SqlFailure } from './driver.js'
import { factsOf, quoted, type Rows } from './table-facts.js'
import { kyselyOver } from './through-kysely.js'

export interface TableColumn {
  readonly name: string
  /** Its name in the database. */
  readonly type: string
  readonly schema: JsonSchema
  readonly isNullable: boolean
  /** The database's own comment. */
  readonly about?: string
}
export interface Table {
  /** With its schema as a prefix, unless it is the default schema. */
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

/** Tables and views of a database, with their keys and comments, and those that the database itself refuses to describe. */
export async function readTables(
  driver: SqlDriver,
  timeoutMs: number,
): Promise<{ tables: Table[]; refused: RefusedTable[] }> {
  const database = kyselyOver(driver, timeoutMs)
  const rows = async (text: string): Promise<Record<string, string>[]> =>
    (await sql.raw<Record<string, string>>(text).execute(database)).rows
  const { found, refused } = await describedTables(database, driver.dialect, rows)
  const facts = await factsOf(driver.dialect, rows, refused)
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
        return {
          name,
          // PostgreSQL's own name for a list of numbers is `_int4`.
          type: driver.dialect === 'postgres' ? dataType.replace(/^_(.+)$/, '$1[]') : dataType,
          schema: facts.columnSchemas?.get(`${key}.${name}`) ?? schemaOf(dataType),
          isNullable,
          ...(said ? { about: said } : {}),
        }
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

/** SQLite describes all tables with one statement, which fails if one table is broken. Then each table is read separately. */
async function describedTables(
  database: ReturnType<typeof kyselyOver>,
  dialect: SqlDriver['dialect'],
  rows: Rows,
): Promise<{ found: readonly FoundTable[]; refused: RefusedTable[] }> {
  try {
    const found: readonly FoundTable[] = await database.introspection.getTables()
    if (dialect === 'mysql') return { found, refused: [] }
    return {
      found: dialect === 'sqlite' ? await withoutShadows(found, rows) : await withStored(found, rows),
      refused: [],
    }
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

/** SQLite's own tables for a virtual one, such as a full-text index, are left out. */
async function withoutShadows(found: readonly FoundTable[], rows: Rows): Promise<readonly FoundTable[]> {
  const shadows = await rows(`select name as t from pragma_table_list where type = 'shadow'`)
  const indexes = await rows(
    `select name || '_shadow' as t from sqlite_master where type = 'index' and sql like '%libsql_vector_idx%'`,
  )
  // libsql stores a vector index in a table, without marking it as internal.
  const names = new Set([...[...shadows, ...indexes].map(({ t }) => t), 'libsql_vector_meta_shadow'])
  return found.filter(({ name }) => !names.has(name))
}

/** PostgreSQL: materialized views count as views; partitions belong to a table that is listed. */
async function withStored(found: readonly FoundTable[], rows: Rows): Promise<readonly FoundTable[]> {
  const partitions = await rows(
    `select n.nspname || '.' || c.relname as t from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relispartition`,
  )
  const parts = new Set(partitions.map(({ t }) => t))
  const columns = await rows(
    `select n.nspname as s, c.relname as t, a.attname as c, y.typname as y, col_description(c.oid, a.attnum) as about
      from pg_class c join pg_namespace n on n.oid = c.relnamespace join pg_attribute a on a.attrelid = c.oid join pg_type y on y.oid = a.atttypid
      where c.relkind = 'm' and a.attnum > 0 and not a.attisdropped and has_schema_privilege(n.nspname, 'USAGE') order by 1, 2, a.attnum`,
  )
  const stored = new Map<string, FoundTable & { columns: FoundTable['columns'][number][] }>()
  for (const { s = '', t = '', c = '', y = '', about } of columns) {
    const table = stored.get(`${s}.${t}`) ?? { name: t, schema: s, isView: true, columns: [] }
    table.columns.push({ name: c, dataType: y, isNullable: true, ...(about ? { comment: about } : {}) })
    stored.set(`${s}.${t}`, table)
  }
  return [...found.filter(({ name, schema }) => !parts.has(`${schema}.${name}`)), ...stored.values()]
}
