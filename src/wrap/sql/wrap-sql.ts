import { brands } from '../../kit/brand.js'
import type { Part } from '../../kit/part.js'
import type { JsonObject } from '../../protocol/messages.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { contentMark, frozenOr } from '../source/frozen.js'
import { wrapRegistry } from '../source/registry.js'
import { type DatabaseOptions, driverFor, isSharedDatabase, type SharedDatabase, sqlDatabase } from './database.js'
import { sqlLimitsFor } from './limits.js'
import { sqlPartsOf } from './parts.js'
import type { SqlPlan, SqlPlanOptions } from './plan.js'
import { queryFiles } from './query-files.js'
import type { SqlSearchOptions } from './search.js'

export interface WrapSqlOptions extends SqlPlanOptions, DatabaseOptions {
  /** Files with statements or folders with such files (`URL` or absolute path). Each statement becomes a tool. */
  readonly queries?: readonly (URL | string)[]
  /** Adds a tool that searches rows by the words in text columns. */
  readonly search?: SqlSearchOptions
}

/**
 * Turns a database into tools and resources: statements in `.sql` files become tools, tables and views become resources. The source is a
 * SQLite file, a `postgres://`, `mysql://` or `mariadb://` URL, or the value of `sqlDatabase`. If the database cannot be reached, the
 * statements become tools as written, and the rest follows when it is available.
 *
 * Rejects with a `JexoError` if a file is missing, a name matches nothing, or the result would be empty.
 *
 * @example
 * parts: [...await wrapSql(new URL('./ledger.sqlite', import.meta.url), { queries: [new URL('./queries/', import.meta.url)] })]
 */
export async function wrapSql(
  source: URL | string | SharedDatabase,
  options: WrapSqlOptions = {},
): Promise<Part[]> {
  const database = isSharedDatabase(source) ? source : sqlDatabase(source, options)
  const { queries = [], limits: _limits, create: _create, search, ...rest } = options
  const marks = queries.flatMap(queryFiles).map(contentMark)
  const { file: _file, ...place } = database.address
  const given = { ...rest, queries: marks } as unknown as JsonObject
  const make = async () => {
    const { plan: made, failure } = await attemptedPlan(database, options)
    if (failure !== undefined && wrapRegistry().onMade) throw failure
    return { ...made, address: place }
  }
  const packages = place.dialect === 'sqlite' ? ['libsql'] : []
  const plan = await frozenOr('sql', place as JsonObject, given, make, { packages })
  if (plan.tools.length === 0 && plan.tables.length === 0 && !plan.adHoc && !plan.isPartial)
    throw kitWriterErrors.wrapTakesNothing(database.address.name, reasonsOf(plan))
  return plan.isPartial ? partialParts(plan, database, options) : sqlPartsOf(plan, database, search)
}

/** Returns the plan, as `jexo wrap` shows it. Rejects if the database cannot be reached. */
export async function planSql(
  source: URL | string | SharedDatabase,
  options: WrapSqlOptions = {},
): Promise<SqlPlan> {
  const database = isSharedDatabase(source) ? source : sqlDatabase(source, options)
  const { plan, failure } = await attemptedPlan(database, options)
  if (failure !== undefined) throw failure
  return plan
}

export const reasonsOf = ({ skipped }: SqlPlan): string =>
  skipped
    .slice(0, 3)
    .map(({ name, reason }) => `${name}: ${reason}`)
    .join('; ')

/** Reads the database, or returns the reason why it cannot be reached. */
async function attemptedPlan(
  database: SharedDatabase,
  options: WrapSqlOptions,
): Promise<{ plan: SqlPlan; failure?: unknown }> {
  const { readSql } = await import('./read.js')
  const { planDatabase } = await import('./plan.js')
  const { queries = [] } = options
  const { address, limits } = database
  const { timeoutMs } = sqlLimitsFor(limits, process.env)
  const driver = await driverFor(database, process.env)
  try {
    let failure: unknown
    const isThere = await driver.ping().then(
      () => true,
      (error) => {
        failure = error
        return false
      },
    )
    const reading = await readSql(address, queries, isThere ? driver : undefined, timeoutMs)
    return { plan: planDatabase(reading, options), ...(isThere ? {} : { failure }) }
  } finally {
    await driver.close()
  }
}

/** Placeholders for the parts of an unreachable database. They are replaced when the database is opened. */
function partialParts(plan: SqlPlan, database: SharedDatabase, options: WrapSqlOptions): Part[] {
  let before: Part[] = []
  const opening: SharedDatabase['open'] = async (given) => {
    const opened = await database.open(given)
    const { readSql } = await import('./read.js')
    const { planDatabase } = await import('./plan.js')
    try {
      const { address } = database
      const reading = await readSql(address, options.queries ?? [], opened.driver, opened.limits.timeoutMs)
      const after = sqlPartsOf(planDatabase(reading, options), later, options.search)
      given.exchange(before, after)
      before = after
      return opened
    } catch (error) {
      // It is retried with a new connection.
      await opened.close()
      throw error
    }
  }
  const later = Object.freeze(
    Object.defineProperty({ ...database, open: opening }, brands.shared, { value: true }),
  ) as SharedDatabase
  before = sqlPartsOf(plan, later)
  return before
}
