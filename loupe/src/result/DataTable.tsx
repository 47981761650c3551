import { Button, Table } from '@mantine/core'
import { useState } from 'react'

type Row = Readonly<Record<string, unknown>>

const rowsAtOnce = 50
const mostColumns = 12

/** True for a list of similar objects, which is easiest to read as a table. */
export function isTable(value: unknown): value is Row[] {
  if (!Array.isArray(value) || value.length < 2) return false
  const rows = value.slice(0, 50)
  if (!rows.every((row) => typeof row === 'object' && row !== null && !Array.isArray(row))) return false
  const columns = columnsOf(rows as Row[])
  return columns.length > 0 && columns.length <= mostColumns
}

/** A list of objects with a column for each field; a click on a column header sorts by it. */
export function DataTable({ rows, label }: { rows: readonly Row[]; label: string }) {
  const [shown, setShown] = useState(rowsAtOnce)
  const [order, setOrder] = useState<{ column: string; isDown: boolean }>()
  const columns = columnsOf(rows.slice(0, 200))
  const sorted = order
    ? [...rows].sort((a, b) => compare(a[order.column], b[order.column]) * (order.isDown ? -1 : 1))
    : rows
  const sortBy = (column: string) =>
    setOrder((before) => ({ column, isDown: before?.column === column && !before.isDown }))
  return (
    <div className="data-table">
      <Table striped withTableBorder fz="xs" aria-label={label} captionSide="top">
        <Table.Thead>
          <Table.Tr>
            {columns.map((column) => (
              <Table.Th
                key={column}
                aria-sort={order?.column === column ? (order.isDown ? 'descending' : 'ascending') : 'none'}
              >
                <button type="button" className="column" onClick={() => sortBy(column)}>
                  {column} {order?.column === column ? (order.isDown ? '↓' : '↑') : ''}
                </button>
              </Table.Th>
            ))}
          </Table.Tr>
        </Table.Thead>
        <Table.Tbody>
          {sorted.slice(0, shown).map((row, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows have no names
            <Table.Tr key={at}>
              {columns.map((column) => (
                <Table.Td key={column} data-number={typeof row[column] === 'number' || undefined}>
                  {cellOf(row[column])}
                </Table.Td>
              ))}
            </Table.Tr>
          ))}
        </Table.Tbody>
      </Table>
      {rows.length > shown && (
        <Button size="compact-xs" variant="subtle" onClick={() => setShown(shown + rowsAtOnce * 4)}>
          {(rows.length - shown).toLocaleString('en')} more rows
        </Button>
      )}
    </div>
  )
}

const columnsOf = (rows: readonly Row[]) => [...new Set(rows.flatMap((row) => Object.keys(row)))]

function cellOf(value: unknown): string {
  if (value === undefined || value === null) return ''
  const text = typeof value === 'object' ? JSON.stringify(value) : String(value)
  return text.length > 200 ? `${text.slice(0, 200)}…` : text
}

function compare(a: unknown, b: unknown): number {
  if (typeof a === 'number' && typeof b === 'number') return a - b
  return String(a ?? '').localeCompare(String(b ?? ''), 'en', { numeric: true })
}
