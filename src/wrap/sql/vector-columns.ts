import type { PlannedTable } from './plan.js'
import type { TableColumn } from './tables.js'

/** A column with the vectors of a text column of the same table, and how it is searched. */
export interface VectorColumn {
  readonly table: PlannedTable
  readonly name: string
  readonly type: string
}
const sqliteTypes = /^(f(64|32|16|8|1bit)_blob|float(64|32|16|8|1bit|b16))\s*\(\s*\d+\s*\)$/i
const postgresTypes = /^(vector|halfvec)(\(\d+\))?$/i

/** True for a column that holds vectors: of libsql, or of PostgreSQL's extension `vector`. They are for searching, and no reader's business. */
export const isVectorColumn = ({ type }: Pick<TableColumn, 'type'>): boolean =>
  sqliteTypes.test(type) || postgresTypes.test(type)

/** The vectors of a text column: the one that is named, else one whose name begins like it, else the only one of the table. */
export function vectorColumnOf(table: PlannedTable, column: string, named?: string): VectorColumn | undefined {
  const all = table.columns.filter(isVectorColumn)
  const found =
    named === undefined
      ? (all.find(({ name }) => name.startsWith(column)) ?? (all.length === 1 ? all[0] : undefined))
      : all.find(({ name }) => name === named)
  return found && { table, name: found.name, type: found.type }
}
