import type { PlannedTable } from './plan.js'
import type { TableColumn } from './tables.js'

/** A column with the vectors of a text column of the same table, and how to search it. */
export interface VectorColumn {
  readonly table: PlannedTable
  readonly name: string
  readonly type: string
}
const sqliteTypes = /^(f(64|32|16|8|1bit)_blob|float(64|32|16|8|1bit|b16))\s*\(\s*\d+\s*\)$/i
const postgresTypes = /^(vector|halfvec)(\(\d+\))?$/i

/**
 * True for a column of vectors, of libsql or of PostgreSQL's extension `vector`. These are for searching, and not
 * shown.
 */
export const isVectorColumn = ({ type }: Pick<TableColumn, 'type'>): boolean =>
  sqliteTypes.test(type) || postgresTypes.test(type)

/**
 * The vector column of a text column: the given one, else one whose name begins with the text column's name, else the
 * table's only one.
 */
export function vectorColumnOf(table: PlannedTable, column: string, named?: string): VectorColumn | undefined {
  const all = table.columns.filter(isVectorColumn)
  const found =
    named === undefined
      ? (all.find(({ name }) => name.startsWith(column)) ?? (all.length === 1 ? all[0] : undefined))
      : all.find(({ name }) => name === named)
  return found && { table, name: found.name, type: found.type }
}
