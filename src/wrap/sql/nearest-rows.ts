import { sql } from 'kysely'
import type { Call } from '../../kit/call.js'
import type { SqlDatabase } from './database.js'
import { kyselyOver } from './through-kysely.js'
import type { VectorColumn } from './vector-columns.js'

type Row = Readonly<Record<string, unknown>>

/** Keys of the rows with the nearest vectors, nearest first. Uses the database's own index if there is one. */
export async function nearestRows(
  database: SqlDatabase,
  column: VectorColumn,
  vector: readonly number[],
  most: number,
  call: Call,
): Promise<Row[]> {
  const builder = kyselyOver(database.driver, database.limits.timeoutMs)
  const { table, name } = column
  const text = JSON.stringify(vector.map((value) => (Number.isFinite(value) ? value : 0)))
  const keys = sql.join(table.key.map((key) => sql.ref(`r.${key}`)))
  const from = sql.table(table.schema === undefined ? table.bareName : `${table.schema}.${table.bareName}`)
  return call.upstream('sql', `nearest ${table.name}.${name}`, async () => {
    if (database.driver.dialect === 'postgres') {
      const type = sql.raw(column.type.toLowerCase().startsWith('half') ? 'halfvec' : 'vector')
      const wanted = sql`cast(cast(${text} as text) as ${type})`
      const { rows } = await sql<Row>`select ${keys} from ${from} as r where ${sql.ref(`r.${name}`)} is not null
        order by ${sql.ref(`r.${name}`)} <=> ${wanted} limit ${sql.lit(most)}`.execute(builder)
      return rows
    }
    const distance = sql`vector_distance_cos(${sql.ref(`r.${name}`)}, vector32(${text}))`
    const index = await indexOf(builder, column)
    const { rows } =
      index === undefined
        ? await sql<Row>`select ${keys} from ${from} as r where ${sql.ref(`r.${name}`)} is not null
            order by ${distance} limit ${sql.lit(most)}`.execute(builder)
        : await sql<Row>`select ${keys} from vector_top_k(${index}, vector32(${text}), ${sql.lit(most)}) as t
            join ${from} as r on r.rowid = t.id order by ${distance}`.execute(builder)
    return rows
  })
}

/** The index of a column in libsql: `libsql_vector_idx` in its definition. */
async function indexOf(
  builder: ReturnType<typeof kyselyOver>,
  { table, name }: VectorColumn,
): Promise<string | undefined> {
  const { rows } = await sql<{ name: string; sql: string | null }>`select name, sql from sqlite_master
    where type = 'index' and tbl_name = ${table.bareName}`.execute(builder)
  const escaped = name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
  const definition = new RegExp(`libsql_vector_idx\\s*\\(\\s*["\`[]?${escaped}["\`\\]]?\\s*[,)]`, 'i')
  return rows.find((row) => definition.test(row.sql ?? ''))?.name
}
