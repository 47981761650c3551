import type { Duplex } from 'node:stream'
import type { Client, ClientBase, FieldDef, Pool, PoolClient } from 'pg'
import { isRefusal } from '../../kit/refusal.js'
import { optionalPackage } from '../../optional-packages.js'
import type { Connection } from './address.js'
import {
  type Described,
  type DriverOptions,
  RowGatherer,
  type SqlDriver,
  SqlFailure,
  type SqlRequest,
  type SqlResult,
} from './driver.js'
import { sqlErrors } from './errors.js'
import { limitFrames, postgresFraming } from './frames.js'
import { type Interruption, interruptible } from './interruption.js'
import { describedBy } from './postgres-describe.js'
import { checkForeign, widePrivileges } from './postgres-guard.js'
import { type ArrayReader, PostgresTypes } from './postgres-types.js'
import { uniqueColumns } from './unique-columns.js'

/** Number of rows that are fetched at once. */
const batchRows = 100

/**
 * PostgreSQL driver with a connection pool. Rows are read through a cursor, so that only the required rows are fetched.
 */
export class PostgresDriver implements SqlDriver {
  readonly dialect = 'postgres'
  readonly label: string
  readonly #config: object
  readonly #options: DriverOptions
  #pool: Promise<Pool> | undefined
  #ownTypes: Promise<PostgresTypes> | undefined

  constructor(connection: Connection, options: DriverOptions) {
    const { label, isEncrypted, ...rest } = connection
    this.label = label
    this.#options = options
    this.#config = {
      ...rest,
      application_name: 'jexo',
      connectionTimeoutMillis: options.limits.connectMs,
      ...(isEncrypted ? { ssl: true } : {}),
    }
  }

  async ping(): Promise<void> {
    const client = await this.#connect().catch((error) => {
      throw sqlErrors.sqlUnreachable(this.label, driverMessage(error))
    })
    client.release()
  }

  async run(request: SqlRequest): Promise<SqlResult> {
    const client = await this.#connect().catch((error) => {
      throw new SqlFailure('lost', `it cannot be reached (${driverMessage(error)})`, error)
    })
    const interruption: Interruption = { stop: () => this.#cancel(client), giveUp: () => client.release(true) }
    let isBroken = request.isForeign === true
    try {
      return await interruptible(request, interruption, () => this.#within(client, request))
    } catch (error) {
      if (isRefusal(error)) throw error
      const failure = failureOf(error)
      isBroken ||= failure.kind === 'lost' || !(await rolledBack(client))
      throw failure
    } finally {
      if (!interruption.isGivenUp) client.release(isBroken)
    }
  }

  async describe(text: string): Promise<Described> {
    const client = await this.#connect()
    try {
      return await describedBy(client, text, await this.#types(client, true))
    } catch (error) {
      throw failureOf(error)
    } finally {
      client.release()
    }
  }

  async close(): Promise<void> {
    await (await this.#pool)?.end()
  }

  async #connect(): Promise<PoolClient> {
    this.#pool ??= openPool({ ...this.#config, max: this.#options.limits.maxConnections })
    const client = await (await this.#pool).connect()
    // Losing an idle connection has no effect; losing one in use fails its statement.
    if (client.listenerCount('error') === 0) client.on('error', () => {})
    return client
  }

  /** The types of the database, queried once, and again each time statements are described. */
  #types(client: ClientBase, isFresh = false): Promise<PostgresTypes> {
    if (isFresh || !this.#ownTypes) {
      const asked = loadTypes(client)
      this.#ownTypes = asked
      asked.catch(() => {
        this.#ownTypes = undefined
      })
    }
    return this.#ownTypes as Promise<PostgresTypes>
  }

  async #within(client: PoolClient, request: SqlRequest): Promise<SqlResult> {
    const { access, timeoutMs } = request
    await client.query(access === 'read' ? 'begin read only' : 'begin')
    await client.query(`set local statement_timeout = ${Math.ceil(timeoutMs)}`)
    const types = await this.#types(client)
    if (request.isForeign) await checkForeign(client, request.text)
    const result = await this.#bounded(client, () =>
      access === 'read' ? fetched(client, request, types) : carriedOut(client, request, types),
    )
    if (request.signal?.aborted) throw new SqlFailure('cancelled', 'the call was cancelled')
    await client.query(access === 'read' ? 'rollback' : 'commit')
    return result
  }

  /** A row over the limit ends the connection before it has been received completely. */
  async #bounded<T>(client: PoolClient, run: () => Promise<T>): Promise<T> {
    const { stream } = (client as unknown as { connection: { stream: Duplex } }).connection
    let exceeded: SqlFailure | undefined
    const stop = limitFrames(stream, postgresFraming, this.#options.limits.maxRowBytes, (failure) => {
      exceeded = failure
    })
    try {
      return await run()
    } catch (error) {
      throw exceeded ?? error
    } finally {
      stop()
    }
  }

  async privileges(): Promise<string | undefined> {
    const client = await this.#connect()
    try {
      return await widePrivileges(client)
    } finally {
      client.release()
    }
  }

  /** Asks the server, over another connection, to stop a statement. */
  async #cancel(client: PoolClient): Promise<void> {
    const { Client } = await loadPg()
    const canceller: Client = new Client(this.#config)
    canceller.on('error', () => {})
    try {
      await canceller.connect()
      await canceller.query('select pg_cancel_backend($1)', [
        (client as unknown as { processID: number }).processID,
      ])
    } finally {
      await canceller.end().catch(() => {})
    }
  }
}

const purpose = 'using PostgreSQL'

async function loadPg(): Promise<typeof import('pg')> {
  const loaded = await optionalPackage('pg', purpose, () => import('pg'))
  return loaded.default as unknown as typeof import('pg')
}

async function openPool(config: object): Promise<Pool> {
  const { Pool } = await loadPg()
  const pool = new Pool({ ...config, allowExitOnIdle: true })
  pool.on('error', () => {})
  return pool
}

async function loadTypes(client: ClientBase): Promise<PostgresTypes> {
  const { types } = await loadPg()
  const { arrayParser } = types as unknown as {
    arrayParser: { create(text: string, item: (text: string) => unknown): { parse(): unknown[] } }
  }
  const readArray: ArrayReader = (text, item) => arrayParser.create(text, item).parse()
  const loaded = new PostgresTypes(readArray)
  await loaded.load(client)
  return loaded
}

const asJson = (types: PostgresTypes) => ({
  getTypeParser: (oid: number) => (text: string | null) => (text === null ? null : types.valueOf(oid, text)),
})

async function fetched(
  client: PoolClient,
  { text, values, ...request }: SqlRequest,
  types: PostgresTypes,
): Promise<SqlResult> {
  const { default: Cursor } = await optionalPackage('pg-cursor', purpose, () => import('pg-cursor'))
  const config = { rowMode: 'array', types: asJson(types) } as unknown as ConstructorParameters<typeof Cursor>[2]
  const cursor = client.query(new Cursor<unknown[]>(text, [...values], config))
  const gatherer = new RowGatherer(request)
  let fields: readonly FieldDef[] = []
  for (let isMore = true; isMore; ) {
    const { rows, fields: named } = await batchOf(cursor)
    fields = named.length > 0 ? named : fields
    isMore = rows.length === batchRows && rows.every((row) => gatherer.take(row))
    if (rows.length < batchRows) rows.every((row) => gatherer.take(row))
  }
  await cursor.close()
  return { ...gathered(gatherer), columns: uniqueColumns(fields.map(({ name }) => name)) }
}

type Batch = { rows: unknown[][]; fields: readonly FieldDef[] }

const batchOf = (cursor: import('pg-cursor')): Promise<Batch> =>
  new Promise((resolve, reject) =>
    cursor.read(batchRows, (error: Error | undefined, rows: unknown[], result: { fields?: FieldDef[] }) =>
      error ? reject(error) : resolve({ rows: rows as unknown[][], fields: result?.fields ?? [] }),
    ),
  )

async function carriedOut(
  client: PoolClient,
  { text, values, ...request }: SqlRequest,
  types: PostgresTypes,
): Promise<SqlResult> {
  const result = await client.query({
    text,
    values: [...values],
    rowMode: 'array',
    types: asJson(types) as unknown as import('pg').CustomTypesConfig,
  })
  const gatherer = new RowGatherer(request)
  ;(result.rows as unknown[][]).every((row) => gatherer.take(row))
  const columns = uniqueColumns(result.fields.map(({ name }) => name))
  return { ...gathered(gatherer), columns, changed: result.rowCount ?? 0 }
}

const gathered = ({ rows, bytes, cutBy }: RowGatherer) => ({
  rows,
  bytes,
  ...(cutBy === undefined ? {} : { cutBy }),
})

async function rolledBack(client: PoolClient): Promise<boolean> {
  try {
    await client.query('rollback')
    return true
  } catch {
    return false
  }
}

function failureOf(error: unknown): SqlFailure {
  if (error instanceof SqlFailure) return error
  const {
    code = '',
    message = String(error),
    detail,
    hint,
  } = error as Partial<Record<'code' | 'message' | 'detail' | 'hint', string>>
  const said = [message, detail, hint].filter(Boolean).join('; ')
  if (code === '57014') return new SqlFailure('timeout', said, error)
  if (code === '25006') return new SqlFailure('readonly', said, error)
  if (code === '55P03' || code === '40P01') return new SqlFailure('locked', said, error)
  // By class: connection exceptions, and those caused by an administrator; errors without a code are network errors.
  const isLost = /^(08|57P|53)/.test(code) || !/^[0-9A-Z]{5}$/.test(code)
  return new SqlFailure(isLost ? 'lost' : 'statement', isLost ? driverMessage(error) : said, error)
}

const driverMessage = (error: unknown): string => {
  const { message, code, errors } = error as { message?: string; code?: string; errors?: unknown[] }
  return message || (errors?.[0] ? driverMessage(errors[0]) : (code ?? String(error)))
}
