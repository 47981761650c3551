import { brands, hasBrand } from '../../kit/brand.js'
import type { Call } from '../../kit/call.js'
import { Refusal } from '../../kit/refusal.js'
import type { Setting } from '../../kit/settings.js'
import { type Shared, shared } from '../../kit/shared.js'
import { connectionOf, fileOf, readAddress, type Secrets, type SqlAddress, settingsOf } from './address.js'
import { type SqlDriver, SqlFailure, type SqlRequest, type SqlResult, type SqlValue } from './driver.js'
import { type SqlLimits, sqlLimitsFor } from './limits.js'
import { placed, statementsIn } from './tokens.js'

export interface DatabaseOptions {
  /** Name in URIs and tools; default: from the file or the database. */
  readonly name?: string
  /** Prefix of its settings: `LEDGER` results in `LEDGER_URL`, `LEDGER_USER`, `LEDGER_PASSWORD`, or `LEDGER_FILE`. */
  readonly settingPrefix?: string
  /** Limits; each also has a `JEXO_SQL_…` variable. */
  readonly limits?: Partial<SqlLimits>
  /** Statements that fill a new SQLite file, if there is none. */
  readonly create?: string | (() => string)
}
export type SqlRow = Readonly<Record<string, unknown>>
export type SqlValues = Readonly<Record<string, SqlValue | undefined>>
/** The part of a call that a statement uses: its signal and its upstream records. */
export type StatementCall = Pick<Call, 'signal' | 'upstream'>

/** A database that your own tools can use too: `call.use(ledger)` returns an open `SqlDatabase`. */
export interface SharedDatabase extends Shared<SqlDatabase> {
  readonly address: SqlAddress
  readonly secrets: Secrets
  readonly limits: Partial<SqlLimits>
  readonly create: DatabaseOptions['create']
  /** Its settings; wrapped parts include them. */
  readonly settings: Readonly<Record<string, Setting>>
}

/**
 * Declares a database: a SQLite file (`URL` or absolute path), or `postgres://…`, `mysql://…`, `mariadb://…`. User and password are
 * settings. It is opened at startup, with retries. Throws a `JexoError` if the address is not valid.
 *
 * @example
 * const ledger = sqlDatabase(new URL('./ledger.sqlite', import.meta.url))
 * const rows = await (await call.use(ledger)).rows('select * from hives where hive = :hive', { hive }, call)
 */
export function sqlDatabase(source: URL | string, options: DatabaseOptions = {}): SharedDatabase {
  const { address, secrets } = readAddress(source, options)
  const { limits = {}, create } = options
  const opened = shared(
    async ({ settings, report }) => {
      const driver = await driverFor({ address, secrets, limits, create }, settings)
      const database = await reached(new SqlDatabase(address, driver, limits))
      const wide = await driver.privileges?.().catch(() => undefined)
      if (wide !== undefined)
        report(
          'warning',
          `${address.name}: the database role is ${wide}. Use a role that may read only the tables it needs.`,
        )
      return database
    },
    (database) => database.close(),
    { atStart: true },
  )
  const declared = {
    ...opened,
    address,
    limits,
    create,
    settings: settingsOf(address, Object.keys(secrets).length > 0),
  }
  // Hidden when the value is printed.
  Object.defineProperty(declared, 'secrets', { value: secrets, enumerable: false })
  return Object.freeze(Object.defineProperty(declared, brands.shared, { value: true })) as unknown as SharedDatabase
}

export const isSharedDatabase = (value: unknown): value is SharedDatabase =>
  hasBrand(value, brands.shared) && 'address' in (value as object)

/** The driver of a database; its package is loaded when it connects. */
export async function driverFor(
  { address, secrets, limits, create }: Pick<SharedDatabase, 'address' | 'secrets' | 'limits' | 'create'>,
  settings: Readonly<Record<string, string | undefined>>,
): Promise<SqlDriver> {
  const options = { limits: sqlLimitsFor(limits, process.env), ...(create === undefined ? {} : { create }) }
  if (address.dialect === 'sqlite')
    return new (await import('./sqlite.js')).SqliteDriver(fileOf(address, settings), options)
  const connection = connectionOf(address, settings, secrets)
  if (address.dialect === 'postgres') return new (await import('./postgres.js')).PostgresDriver(connection, options)
  return new (await import('./mysql.js')).MysqlDriver(connection, options)
}

/**
 * Opens a database outside a call, such as in a script; settings come from the environment. The caller must close it.
 * Rejects with a `JexoError` if it cannot be reached.
 */
export async function openDatabase(
  source: URL | string | SharedDatabase,
  options: DatabaseOptions = {},
): Promise<SqlDatabase> {
  const shared = isSharedDatabase(source) ? source : sqlDatabase(source, options)
  return reached(new SqlDatabase(shared.address, await driverFor(shared, process.env), shared.limits))
}

/** Closes the connection if the database cannot be used. */
async function reached(database: SqlDatabase): Promise<SqlDatabase> {
  try {
    await database.driver.ping()
    return database
  } catch (error) {
    await database.close()
    throw error
  }
}

/** A statement with its values, and how it may be run. */
export type StatementRun = Pick<SqlRequest, 'text' | 'values' | 'access'> &
  Partial<Pick<SqlRequest, 'maxRows' | 'skip' | 'isForeign'>>

/** An open database: statements with named parameters, each in a separate transaction. */
export class SqlDatabase {
  readonly driver: SqlDriver
  readonly limits: SqlLimits
  readonly #name: string

  constructor(address: SqlAddress, driver: SqlDriver, limits: Partial<SqlLimits> = {}) {
    this.#name = address.name
    this.driver = driver
    this.limits = sqlLimitsFor(limits, process.env)
  }

  /**
   * Returns the rows of one read-only statement; the database refuses writes. Rejects with a `Refusal` that contains
   * the reason.
   */
  async rows(text: string, values: SqlValues = {}, call?: StatementCall): Promise<SqlRow[]> {
    return rowsOf(await this.run(this.#placed(text, values, 'read'), call))
  }

  /** Runs one statement that writes; it is rolled back if it fails or the call is cancelled. */
  async change(
    text: string,
    values: SqlValues = {},
    call?: StatementCall,
  ): Promise<{ changed: number; rows: SqlRow[] }> {
    const result = await this.run(this.#placed(text, values, 'write'), call)
    return { changed: result.changed ?? 0, rows: rowsOf(result) }
  }

  /** Runs a statement within the limits, and records it for the call's host. */
  async run(statement: StatementRun, call?: StatementCall): Promise<SqlResult> {
    const { maxRows, maxBytes, timeoutMs } = this.limits
    const request = { maxRows, maxBytes, timeoutMs, signal: call?.signal, ...statement }
    const label = statement.text.replace(/\s+/g, ' ').slice(0, 120)
    const carryOut = async (notes: { status?: string | number; bytes?: number; detail?: object }) => {
      const detail = {
        statement: statement.text,
        values: statement.values.map(shown),
        database: this.driver.label,
      }
      notes.detail = detail
      const result = await this.driver.run(request)
      const count = result.changed === undefined ? result.rows.length : result.changed
      const rows = `${count} ${count === 1 ? 'row' : 'rows'}${result.changed === undefined ? '' : ' changed'}`
      notes.status = 'ok'
      notes.detail = { ...detail, result: rows }
      notes.bytes = result.bytes
      return result
    }
    try {
      return await (call ? call.upstream('sql', label, carryOut) : carryOut({}))
    } catch (error) {
      throw this.#refusal(error, statement.access)
    }
  }

  close(): Promise<void> {
    return this.driver.close()
  }

  #placed(text: string, values: SqlValues, access: 'read' | 'write'): StatementRun {
    const statements = statementsIn(text, this.driver.dialect)
    const [statement] = statements
    if (!statement || statements.length > 1) throw new Refusal('Give exactly one statement.')
    const made = placed(statement, this.driver.dialect)
    return { text: made.text, values: made.names.map((name) => values[name] ?? null), access }
  }

  #refusal(error: unknown, access: 'read' | 'write'): unknown {
    if (!(error instanceof SqlFailure)) return error
    const { kind, message } = error
    const options = {
      cause: error,
      ...(kind === 'lost' ? { operatorNote: `${this.driver.label}: ${message}` } : {}),
      ...(kind === 'timeout'
        ? { operatorNote: `${this.driver.label}: ${message}; the limit is JEXO_SQL_TIMEOUT_MS` }
        : {}),
    }
    return new Refusal(this.#said(kind, message, access), options)
  }

  #said(kind: SqlFailure['kind'], message: string, access: 'read' | 'write'): string {
    const database = `The ${this.#name} database`
    if (kind === 'cancelled') return `The call was cancelled${access === 'write' ? '; nothing was changed' : ''}.`
    if (kind === 'timeout')
      return `${database} took longer than ${this.limits.timeoutMs} ms, and the statement was stopped${access === 'write' ? '; nothing was changed' : ''}. Request less.`
    if (kind === 'locked') return `${database} is locked (${message}). Try again in a moment.`
    if (kind === 'readonly') return `Only reads are allowed here (${message}).`
    if (kind === 'statement') return `${database} refused the statement: ${message}`
    const after =
      access === 'write' ? 'check whether it was executed before you try again' : 'try again in a moment'
    // The reason is for the operator, since it names addresses and files.
    return `${database} is not reachable; ${after}.`
  }
}

const shown = (value: SqlValue): unknown => {
  if (Array.isArray(value)) return value.map(shown)
  if (value instanceof Uint8Array) return `${value.length} bytes`
  return typeof value === 'bigint' ? String(value) : value
}

/** Rows as objects with the column names as keys. */
export const rowsOf = ({ columns, rows }: Pick<SqlResult, 'columns' | 'rows'>): SqlRow[] =>
  rows.map((row) => Object.fromEntries(columns.map((name, at) => [name, row[at] ?? null])))
