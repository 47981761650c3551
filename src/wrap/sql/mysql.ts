import type { Duplex } from 'node:stream'
import type { FieldPacket, Connection as MysqlConnection, Pool, PoolConnection, ResultSetHeader } from 'mysql2'
import { optionalPackage } from '../../optional-packages.js'
import type { Connection } from './address.js'
import { namedTypeSchema } from './column-types.js'
import {
  type Described,
  type DriverOptions,
  exactDecimal,
  exactInteger,
  RowGatherer,
  type SqlDriver,
  SqlFailure,
  type SqlRequest,
  type SqlResult,
  type SqlValue,
} from './driver.js'
import { sqlErrors } from './errors.js'
import { parseExactly } from './exact-json.js'
import { limitFrames, mysqlFraming } from './frames.js'
import { type Interruption, interruptible } from './interruption.js'
import { uniqueColumns } from './unique-columns.js'

/** MySQL and MariaDB, with a pool of connections. */
export class MysqlDriver implements SqlDriver {
  readonly dialect = 'mysql'
  readonly label: string
  readonly #config: object
  readonly #options: DriverOptions
  #pool: Promise<Pool> | undefined

  constructor(connection: Connection, options: DriverOptions) {
    const { label, isEncrypted, ...rest } = connection
    this.label = label
    this.#options = options
    this.#config = {
      ...rest,
      connectTimeout: options.limits.connectMs,
      dateStrings: true,
      supportBigNumbers: true,
      jsonStrings: true,
      bigNumberStrings: true,
      ...(isEncrypted ? { ssl: {} } : {}),
    }
  }

  async ping(): Promise<void> {
    const connection = await this.#connect().catch((error) => {
      throw sqlErrors.sqlUnreachable(this.label, driverMessage(error))
    })
    connection.release()
  }

  async run(request: SqlRequest): Promise<SqlResult> {
    const connection = await this.#connect().catch((error) => {
      throw new SqlFailure('lost', `it cannot be reached (${driverMessage(error)})`, error)
    })
    const interruption: Interruption = {
      stop: () => this.#kill(connection.threadId),
      giveUp: () => cut(connection),
    }
    let isBroken = request.isForeign === true
    try {
      return await interruptible(request, interruption, async () => {
        // The quoting of strings and names depends on this mode, and statements were parsed for the default one.
        if (request.isForeign) await query(connection, "set session sql_mode = 'STRICT_TRANS_TABLES'")
        await query(connection, request.access === 'read' ? 'start transaction read only' : 'start transaction')
        const result = await this.#carriedOut(connection, request)
        isBroken ||= result.isUnfinished
        if (result.isUnfinished && request.access === 'write')
          throw new SqlFailure('statement', 'it returns more rows than the limit, so nothing was changed')
        if (request.signal?.aborted) throw new SqlFailure('cancelled', 'the call was cancelled')
        if (!result.isUnfinished) await query(connection, request.access === 'read' ? 'rollback' : 'commit')
        return result.result
      })
    } catch (error) {
      const failure = failureOf(error)
      isBroken ||= failure.kind === 'lost' || !(await rolledBack(connection))
      throw failure
    } finally {
      if (isBroken) cut(connection)
      else if (!interruption.isGivenUp) connection.release()
    }
  }

  async describe(text: string): Promise<Described> {
    const connection = await this.#connect()
    try {
      const columns = await new Promise<FieldPacket[]>((resolve, reject) =>
        connection.prepare(text, (error, statement) => {
          if (error) return reject(error)
          const { columns = [] } = statement as unknown as { columns?: FieldPacket[] }
          statement.close()
          resolve(columns)
        }),
      )
      const { Types } = await loadMysql()
      return {
        parameters: [],
        columns: columns.map(({ name, columnType, orgTable, orgName }) => ({
          name,
          schema: namedTypeSchema(typeName(Types as never, Number(columnType))),
          ...(orgTable && orgName ? { table: orgTable, column: orgName } : {}),
        })),
      }
    } catch (error) {
      throw failureOf(error)
    } finally {
      connection.release()
    }
  }

  async close(): Promise<void> {
    const pool = await this.#pool
    if (pool) await new Promise<void>((resolve) => pool.end(() => resolve()))
  }

  async #connect(): Promise<PoolConnection> {
    this.#pool ??= openPool({ ...this.#config, connectionLimit: this.#options.limits.maxConnections })
    const pool = await this.#pool
    const connection = await new Promise<PoolConnection>((resolve, reject) =>
      pool.getConnection((error, opened) => (error ? reject(error) : resolve(opened))),
    )
    if (connection.listenerCount('error') === 0) connection.on('error', () => {})
    return connection
  }

  /** Reads rows as a stream. After the last wanted row, the query is cancelled and the connection is closed. */
  #carriedOut(
    connection: PoolConnection,
    { text, values, ...request }: SqlRequest,
  ): Promise<{ result: SqlResult; isUnfinished: boolean }> {
    const gatherer = new RowGatherer(request)
    let fields: readonly FieldPacket[] = []
    let header: ResultSetHeader | undefined
    return new Promise((resolve, reject) => {
      const { stream } = connection as unknown as { stream: Duplex }
      const stop = limitFrames(stream, mysqlFraming, this.#options.limits.maxRowBytes, (failure) => failed(failure))
      const finished = (isUnfinished: boolean) =>
        resolve({
          isUnfinished,
          result: {
            columns: uniqueColumns(fields.map(({ name }) => name)),
            rows: gatherer.rows,
            bytes: gatherer.bytes,
            ...(gatherer.cutBy === undefined ? {} : { cutBy: gatherer.cutBy }),
            // Rows of an INSERT … RETURNING of MariaDB count as added rows.
            ...(header
              ? { changed: header.affectedRows }
              : request.access === 'write'
                ? { changed: gatherer.rows.length }
                : {}),
          },
        })
      const running = connection.execute({ sql: text, values: values.map(bound), rowsAsArray: true, typeCast })
      let isOver = false
      const failed = (error: Error) => {
        stop()
        connection.removeListener('error', failed)
        if (!isOver) reject(error)
      }
      // A lost connection emits this error itself; the statement does not.
      connection.on('error', failed)
      running
        .on('error', failed)
        .on('fields', (named: FieldPacket[]) => (fields = named ?? []))
        .on('result', (row: unknown) => {
          if (isOver) return
          if (!Array.isArray(row)) header = row as ResultSetHeader
          else if (!gatherer.take(row)) {
            isOver = true
            void this.#kill(connection.threadId).catch(() => {})
            finished(true)
          }
        })
        .on('end', () => {
          stop()
          connection.removeListener('error', failed)
          if (!isOver) finished(false)
        })
    })
  }

  async privileges(): Promise<string | undefined> {
    const connection = await this.#connect()
    try {
      const grants = await new Promise<string>((resolve, reject) =>
        connection.query({ sql: 'show grants', rowsAsArray: true }, (error, rows) =>
          error ? reject(error) : resolve((rows as unknown as string[][]).flat().join('\n')),
        ),
      )
      const [, everywhere = ''] = /^GRANT (.*) ON \*\.\*/im.exec(grants) ?? []
      const [found] = /\b(FILE|SUPER|ALL PRIVILEGES)\b/i.exec(everywhere) ?? []
      return found && `a role with ${found.toUpperCase()} on the whole server, which can reach its files`
    } finally {
      connection.release()
    }
  }

  async #kill(thread: number): Promise<void> {
    const { createConnection } = await loadMysql()
    const killer: MysqlConnection = createConnection(this.#config)
    killer.on('error', () => {})
    try {
      await query(killer, `kill query ${Number(thread)}`)
    } finally {
      cut(killer)
    }
  }
}

async function loadMysql(): Promise<typeof import('mysql2')> {
  const loaded = await optionalPackage('mysql2', 'using MySQL or MariaDB', () => import('mysql2'))
  return (loaded as unknown as { default: typeof import('mysql2') }).default
}

async function openPool(config: object): Promise<Pool> {
  const { createPool } = await loadMysql()
  const pool = createPool({ ...config, maxIdle: 1, idleTimeout: 30_000 })
  // Times are returned in UTC.
  pool.on('connection', (connection) => connection.query("set time_zone = '+00:00'"))
  return pool
}

/** Destroyed: closing it politely would read all remaining rows. */
function cut(connection: MysqlConnection): void {
  const { stream } = connection as unknown as { stream: { destroy(): void } }
  stream.destroy()
  connection.destroy()
}

const query = (connection: MysqlConnection, text: string): Promise<void> =>
  new Promise((resolve, reject) => connection.query(text, (error) => (error ? reject(error) : resolve())))

const rolledBack = (connection: MysqlConnection): Promise<boolean> =>
  query(connection, 'rollback').then(
    () => true,
    () => false,
  )

/** Integers are sent as text, whose type the server infers; it refuses a double where a count is expected. */
function bound(value: SqlValue): string | number | Buffer | null | boolean {
  if (typeof value === 'bigint' || Number.isInteger(value)) return String(value)
  return value instanceof Uint8Array ? Buffer.from(value) : (value as string | number | null | boolean)
}

type Field = { type: string; extendedFormat?: string }

function typeCast(field: Field, next: () => unknown): unknown {
  const { type, extendedFormat } = field
  // MariaDB stores JSON as text with a marker.
  if (type === 'JSON' || extendedFormat === 'json') {
    const json = next()
    return typeof json === 'string' ? parseExactly(json) : json
  }
  if (/BLOB|BINARY|GEOMETRY|^BIT$/.test(type)) {
    const given = next()
    return Buffer.isBuffer(given) ? given.toString('base64') : given
  }
  const value = next()
  if (typeof value === 'string') {
    if (type === 'LONGLONG' || type === 'LONG') return exactInteger(value)
    if (/DECIMAL/.test(type)) return exactDecimal(value)
    if (type === 'TIMESTAMP') return `${value.replace(' ', 'T')}Z`
    if (type === 'DATETIME') return value.replace(' ', 'T')
  }
  return value
}

/** The name of a column's type from its number, as in `information_schema`. */
function typeName(types: Readonly<Record<string, number>>, code: number): string {
  const [found = ''] = Object.entries(types).find(([, value]) => value === code) ?? []
  const names: Readonly<Record<string, string>> = {
    LONG: 'int',
    LONGLONG: 'bigint',
    SHORT: 'smallint',
    TINY: 'tinyint',
    INT24: 'mediumint',
    NEWDECIMAL: 'decimal',
    VAR_STRING: 'varchar',
    STRING: 'char',
  }
  // A text column is sent as a blob; the table shows which of the two it is.
  return names[found] ?? (/BLOB/.test(found) ? '' : found)
}

function failureOf(error: unknown): SqlFailure {
  if (error instanceof SqlFailure) return error
  const { code = '', errno = 0, sqlState } = error as { code?: string; errno?: number; sqlState?: string }
  const message = driverMessage(error)
  if (errno === 1317 || errno === 1969 || errno === 3024) return new SqlFailure('timeout', message, error)
  if (errno === 1792) return new SqlFailure('readonly', message, error)
  if (errno === 1205 || errno === 1213) return new SqlFailure('locked', message, error)
  const isLost =
    sqlState === undefined ||
    /^08/.test(sqlState) ||
    [1053, 1927, 2006, 2013].includes(errno) ||
    /^(PROTOCOL|ECONN)/.test(code)
  return new SqlFailure(isLost ? 'lost' : 'statement', message, error)
}

const driverMessage = (error: unknown): string => {
  const { message, code } = error as { message?: string; code?: string }
  return message || code || String(error)
}
