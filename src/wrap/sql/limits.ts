import { numbersOf } from '../../kit/numbers.js'
import type { Environment } from '../../kit/settings.js'

/** Limits of statements and their results. Times in milliseconds, sizes in bytes. */
export interface SqlLimits {
  /** Time limit of one statement. */
  readonly timeoutMs: number
  /** Time limit for connecting. */
  readonly connectMs: number
  /** Maximum number of rows in one result. */
  readonly maxRows: number
  /** Maximum size of a result. */
  readonly maxBytes: number
  /** Maximum size of a row; a larger row is an error. */
  readonly maxRowBytes: number
  /** Maximum number of connections. */
  readonly maxConnections: number
}
export const sqlLimits: SqlLimits = {
  timeoutMs: 10_000,
  connectMs: 5000,
  maxRows: 200,
  maxBytes: 200_000,
  maxRowBytes: 16_000_000,
  maxConnections: 4,
}

const variables: Readonly<Record<string, keyof SqlLimits>> = {
  JEXO_SQL_TIMEOUT_MS: 'timeoutMs',
  JEXO_SQL_CONNECT_MS: 'connectMs',
  JEXO_SQL_MAX_ROWS: 'maxRows',
  JEXO_SQL_MAX_BYTES: 'maxBytes',
  JEXO_SQL_MAX_ROW_BYTES: 'maxRowBytes',
  JEXO_SQL_MAX_CONNECTIONS: 'maxConnections',
}

/** Precedence: the author's options, environment variables, defaults. */
export const sqlLimitsFor = (given: Partial<SqlLimits>, environment: Environment): SqlLimits => ({
  ...sqlLimits,
  ...numbersOf(environment, variables),
  ...given,
})
