import {
  type CompiledQuery,
  type DatabaseConnection,
  type DatabaseIntrospector,
  type Driver,
  Kysely,
  MysqlAdapter,
  MysqlIntrospector,
  MysqlQueryCompiler,
  PostgresAdapter,
  PostgresIntrospector,
  PostgresQueryCompiler,
  SqliteAdapter,
  SqliteIntrospector,
  SqliteQueryCompiler,
} from 'kysely'
import { rowsOf } from './database.js'
import type { SqlDriver, SqlValue } from './driver.js'

export type AnyTables = Record<string, Record<string, unknown>>

const kinds = {
  sqlite: { Adapter: SqliteAdapter, Introspector: SqliteIntrospector, Compiler: SqliteQueryCompiler },
  postgres: { Adapter: PostgresAdapter, Introspector: PostgresIntrospector, Compiler: PostgresQueryCompiler },
  mysql: { Adapter: MysqlAdapter, Introspector: MysqlIntrospector, Compiler: MysqlQueryCompiler },
} as const

/** Row limit of introspection queries. */
const manyRows = 100_000

/** A query builder on our drivers: it builds statements, which run within our limits. Read-only. */
export function kyselyOver(driver: SqlDriver, timeoutMs: number): Kysely<AnyTables> {
  const { Adapter, Introspector, Compiler } = kinds[driver.dialect]
  return new Kysely<AnyTables>({
    dialect: {
      createAdapter: () => new Adapter(),
      createDriver: () => readingDriver(driver, timeoutMs),
      createIntrospector: (database): DatabaseIntrospector => new Introspector(database),
      createQueryCompiler: () => new Compiler(),
    },
  })
}

function readingDriver(driver: SqlDriver, timeoutMs: number): Driver {
  const limits = { access: 'read', maxRows: manyRows, maxBytes: 100_000_000, timeoutMs } as const
  const connection: DatabaseConnection = {
    async executeQuery<Row>({ sql, parameters }: CompiledQuery) {
      const result = await driver.run({ text: sql, values: parameters as SqlValue[], ...limits })
      return { rows: rowsOf(result) as Row[] }
    },
    // biome-ignore lint/correctness/useYield: it is asked of every driver, and nobody streams by it.
    async *streamQuery() {
      throw new Error('rows are taken by the driver itself')
    },
  }
  const nothing = async () => {}
  return {
    init: nothing,
    acquireConnection: async () => connection,
    beginTransaction: nothing,
    commitTransaction: nothing,
    rollbackTransaction: nothing,
    releaseConnection: nothing,
    destroy: nothing,
  }
}
