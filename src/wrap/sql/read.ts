import { readFileSync } from 'node:fs'
import { basename } from 'node:path'
import { wrapRegistry } from '../source/registry.js'
import type { SqlAddress } from './address.js'
import { type Described, type SqlDriver, SqlFailure } from './driver.js'
import { type Query, queriesIn } from './queries.js'
import { queryFiles } from './query-files.js'
import { type RefusedTable, readTables, type Table } from './tables.js'
import { placed } from './tokens.js'

/** A database's tables, and the statements written for it. */
export interface SqlReading {
  readonly address: SqlAddress
  readonly queries: readonly ReadQuery[]
  /** Undefined if the database could not be reached. */
  readonly tables: readonly Table[] | undefined
  /** Tables and views that the database cannot describe. */
  readonly refused?: readonly RefusedTable[]
}
export interface ReadQuery extends Query {
  /** The database's description of it, or its error message. */
  readonly described?: Described | string
}

/** Reads the files, and has the database, if there is one, describe their statements. Rejects if a file is missing. */
export async function readSql(
  address: SqlAddress,
  files: readonly (URL | string)[],
  driver: SqlDriver | undefined,
  timeoutMs: number,
): Promise<SqlReading> {
  const queries = files.flatMap(queryFiles).flatMap((file) => {
    wrapRegistry().onSource?.(file)
    return queriesIn(readFileSync(file, 'utf8'), basename(file), address.dialect)
  })
  if (!driver) return { address, queries, tables: undefined }
  const { tables, refused } = await readTables(driver, timeoutMs)
  const read: ReadQuery[] = []
  for (const query of queries) read.push({ ...query, described: await describedBy(driver, query) })
  return { address, queries: read, tables, refused }
}

async function describedBy(driver: SqlDriver, { statement }: Query): Promise<Described | string> {
  try {
    return await driver.describe(placed(statement, driver.dialect).text)
  } catch (error) {
    if (error instanceof SqlFailure && error.kind !== 'lost') return error.message
    throw error
  }
}
