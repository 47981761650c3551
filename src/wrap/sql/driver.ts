import type { JsonSchema } from '../../kit/schema.js'
import type { SqlLimits } from './limits.js'
import type { SqlDialect } from './tokens.js'

/** A bound value of a statement, which is never inserted as text. */
export type SqlValue = string | number | bigint | boolean | null | Uint8Array | readonly SqlValue[]

/** A statement with placeholders in its database's syntax. */
export interface SqlRequest {
  readonly text: string
  readonly values: readonly SqlValue[]
  /** Whether the database allows writes; it runs in a transaction in either case. */
  readonly access: 'read' | 'write'
  readonly maxRows: number
  readonly maxBytes: number
  /** Number of rows to skip. */
  readonly skip?: number
  readonly timeoutMs: number
  readonly signal?: AbortSignal | undefined
  /** True for an ad-hoc statement: its connection is closed afterwards, with its settings and locks. */
  readonly isForeign?: boolean
}

/** The result of a statement, as JSON values. */
export interface SqlResult {
  readonly columns: readonly string[]
  readonly rows: readonly (readonly unknown[])[]
  /** The limit that truncated the result. */
  readonly cutBy?: 'rows' | 'bytes'
  /** Number of rows that were added, changed or removed. */
  readonly changed?: number
  readonly bytes: number
}

/** The description of a statement that was prepared but not executed. */
export interface Described {
  readonly columns: readonly DescribedColumn[]
  /** By position; undefined if the database does not report it. */
  readonly parameters: readonly (JsonSchema | undefined)[]
}
export interface DescribedColumn {
  readonly name: string
  readonly schema: JsonSchema
  /** Table and column, if it is a column of a table. */
  readonly table?: string
  readonly column?: string
}

/** A connection to a database, or a pool of connections. Hides all differences between databases. */
export interface SqlDriver {
  readonly dialect: SqlDialect
  /** The address of the database without user and password, for output. */
  readonly label: string
  /** Rejects with a `JexoError` if it cannot be reached. */
  ping(): Promise<void>
  /** Rejects with a `SqlFailure`. */
  run(request: SqlRequest): Promise<SqlResult>
  describe(text: string): Promise<Described>
  /** Privileges of the role beyond its tables, as words that follow "the role is"; undefined if there are none. */
  privileges?(): Promise<string | undefined>
  close(): Promise<void>
}

/** The kind of a failure, by its possible fix. */
export type FailureKind = 'statement' | 'timeout' | 'cancelled' | 'lost' | 'locked' | 'readonly'

export class SqlFailure extends Error {
  readonly kind: FailureKind

  constructor(kind: FailureKind, message: string, cause?: unknown) {
    super(message, cause === undefined ? undefined : { cause })
    this.name = 'SqlFailure'
    this.kind = kind
  }
}

export interface DriverOptions {
  readonly limits: SqlLimits
  /** Statements that fill a new SQLite file if there is none. */
  readonly create?: string | (() => string)
}

/** Collects rows up to a limit. */
export class RowGatherer {
  readonly rows: unknown[][] = []
  bytes = 0
  cutBy: 'rows' | 'bytes' | undefined
  #toSkip: number
  readonly #maxRows: number
  readonly #maxBytes: number

  constructor({ skip = 0, maxRows, maxBytes }: Pick<SqlRequest, 'skip' | 'maxRows' | 'maxBytes'>) {
    this.#toSkip = skip
    this.#maxRows = maxRows
    this.#maxBytes = maxBytes
  }

  /** Returns false to stop. */
  take(row: unknown[]): boolean {
    if (this.#toSkip > 0) {
      this.#toSkip--
      return true
    }
    if (this.rows.length >= this.#maxRows) return this.#cut('rows')
    const bytes = Buffer.byteLength(JSON.stringify(row))
    // One row is returned whatever its size, since its values have been truncated already.
    if (this.rows.length > 0 && this.bytes + bytes > this.#maxBytes) return this.#cut('bytes')
    this.bytes += bytes
    this.rows.push(this.bytes > this.#maxBytes ? row.map((value) => shortened(value, this.#maxBytes)) : row)
    return true
  }

  #cut(by: 'rows' | 'bytes'): false {
    this.cutBy = by
    return false
  }
}

const shortened = (value: unknown, maxBytes: number): unknown =>
  typeof value === 'string' && value.length > maxBytes / 4
    ? `${value.slice(0, Math.floor(maxBytes / 4))}… (${value.length} characters in all)`
    : value

/** An integer for JSON: as text if it is too large for a number. */
export function exactInteger(text: string | bigint): number | string {
  const number = Number(text)
  return Number.isSafeInteger(number) ? number : String(text)
}

/** A decimal as a number if no precision is lost, otherwise as text. */
export function exactDecimal(text: string): number | string {
  const number = Number(text)
  if (!Number.isFinite(number)) return text
  const plain = text
    .replace(/^(-?)0+(?=\d)/, '$1')
    .replace(/(\.\d*?)0+$/, '$1')
    .replace(/\.$/, '')
  return String(number) === plain || plain === '-0' ? number : text
}
