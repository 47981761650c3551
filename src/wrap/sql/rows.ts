import type { Call } from '../../kit/call.js'
import { content } from '../../kit/content.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { resource } from '../../kit/resource.js'
import { template } from '../../kit/template.js'
import { bytesOf, isWholeNumber, wholeNumber } from './argument-value.js'
import { belongings, cutText } from './belongings.js'
import { rowsOf, type SharedDatabase, type SqlDatabase } from './database.js'
import type { SqlValue } from './driver.js'
import { type PlannedTable, type SqlPlan, variableOf } from './plan.js'
import { isVectorColumn } from './vector-columns.js'

/** Maximum number of completions for a key. */
const mostOffered = 100

/** A resource that describes the tables, and resources for the rows of each table or view. */
export function tableParts(plan: SqlPlan, database: SharedDatabase): Part[] {
  const { name } = plan.address
  const schema = resource(`${name}://schema`, {
    name: `${name}_schema`,
    about: `Tables and views of the ${name} database: columns, types, keys and comments.`,
    mimeType: 'application/json',
    ...belongings(database),
    read: async (call) => {
      // Nothing is known about a database before it is available.
      if (plan.isPartial) await call.use(database)
      return JSON.stringify({ tables: plan.tables.map(shownTable) }, null, 2)
    },
  })
  if (plan.tables.length === 0 && !plan.isPartial) return []
  return [
    schema,
    ...plan.tables.map((table) =>
      table.isByKey ? rowTemplate(name, table, database) : wholeTable(name, table, database),
    ),
  ]
}

/** Description of a table. */
export function shownTable({ name, about, isView, columns, key, references, uri }: PlannedTable): object {
  return {
    name,
    ...(about === undefined ? {} : { about }),
    ...(isView ? { kind: 'view' } : {}),
    columns: columns.map((column) => {
      const to = references.find(({ column: from }) => from === column.name)?.to
      return {
        name: column.name,
        type: column.type,
        ...(Array.isArray(column.schema.enum) ? { values: column.schema.enum } : {}),
        ...(column.isNullable ? { nullable: true } : {}),
        ...(column.about === undefined ? {} : { about: column.about }),
        ...(to === undefined ? {} : { references: to }),
      }
    }),
    ...(key.length > 0 ? { key } : {}),
    resource: uri,
  }
}

const from = (table: PlannedTable) =>
  table.schema === undefined ? table.bareName : `${table.schema}.${table.bareName}`

/** Vectors are for searching, and useless to readers. */
function selected(builder: Builder, table: PlannedTable) {
  const { columns } = table
  const query = builder.selectFrom(from(table))
  const shown = columns.filter((column) => !isVectorColumn(column)).map(({ name }) => name)
  return shown.length === columns.length ? query.selectAll() : query.select(shown)
}

function rowTemplate(name: string, table: PlannedTable, shared: SharedDatabase): Part {
  const { key, uri, about, columns } = table
  return template(uri, {
    name: `${name}_${table.name}`,
    about: `One row of ${table.name} by ${key.join(', ')}${about ? `: ${about}` : '.'}`,
    mimeType: 'application/json',
    ...belongings(shared),
    complete: Object.fromEntries(
      key.map((column) => [
        variableOf(column),
        async (typed: string, call: Call & { filled: Readonly<Record<string, string>> }) =>
          offered(await call.use(shared), table, column, typed, call),
      ]),
    ),
    async read(variables, call) {
      const database = await call.use(shared)
      const given = key.map(
        (column) => [column, keyValue(columns, column, variables[variableOf(column)] ?? '')] as const,
      )
      const { sql, parameters } = await compiled(database, async (builder) =>
        given
          .reduce(
            (query, [column, value]) => query.where(column, 'in', waysOf(database, columns, column, value)),
            selected(builder, table),
          )
          .limit(1)
          .compile(),
      )
      const result = await database.run({ text: sql, values: parameters as SqlValue[], access: 'read' }, call)
      const [row] = rowsOf(result)
      if (!row)
        throw new Refusal(
          `${table.name} has no row with ${given.map(([column, value]) => `${column} ${value}`).join(', ')}.`,
        )
      return JSON.stringify(row, null, 2)
    },
  })
}

function wholeTable(name: string, table: PlannedTable, shared: SharedDatabase): Part {
  return resource(table.uri, {
    name: `${name}_${table.name}`,
    about: `Rows of ${table.name}${table.about ? `: ${table.about}` : '.'}`,
    mimeType: 'application/json',
    ...belongings(shared),
    async read(call) {
      const database = await call.use(shared)
      const { maxRows } = database.limits
      const { sql, parameters } = await compiled(database, async (builder) =>
        selected(builder, table)
          .limit(maxRows + 1)
          .compile(),
      )
      const result = await database.run({ text: sql, values: parameters as SqlValue[], access: 'read' }, call)
      const rows = {
        uri: table.uri,
        mimeType: 'application/json',
        text: JSON.stringify({ rows: rowsOf(result) }, null, 2),
      }
      const note = { uri: `${table.uri}#note`, mimeType: 'text/plain', text: cutText(result) }
      return [rows, ...(result.cutBy ? [note] : [])].map((one) => content.embed(one))
    },
  })
}

type Builder = ReturnType<typeof import('./through-kysely.js').kyselyOver>
interface Compiled {
  readonly sql: string
  readonly parameters: readonly unknown[]
}

async function compiled(database: SqlDatabase, build: (builder: Builder) => Promise<Compiled>): Promise<Compiled> {
  const { kyselyOver } = await import('./through-kysely.js')
  return build(kyselyOver(database.driver, database.limits.timeoutMs))
}

/** Converts a key to the type of its column; a value that cannot be converted matches no row. */
function keyValue(columns: PlannedTable['columns'], column: string, text: string): SqlValue {
  const { schema = {} } = columns.find(({ name }) => name === column) ?? {}
  if (schema.contentEncoding === 'base64') return bytesOf(column, text)
  if (!isWholeNumber(schema)) return text
  if (!/^-?\d{1,20}$/.test(text)) throw new Refusal(`${column} is a whole number, not ${JSON.stringify(text)}.`)
  return wholeNumber(text)
}

/** A SQLite column without a type can contain both numbers and texts, so a key in a URI can be either. */
function waysOf(
  database: SqlDatabase,
  columns: PlannedTable['columns'],
  column: string,
  value: SqlValue,
): SqlValue[] {
  const { schema = {} } = columns.find(({ name }) => name === column) ?? {}
  const isLoose = database.driver.dialect === 'sqlite' && Object.keys(schema).length === 0
  return isLoose && typeof value === 'string' && /^-?\d{1,18}$/.test(value) ? [value, BigInt(value)] : [value]
}

/** Keys that begin with the typed text, given the other arguments so far. */
async function offered(
  database: SqlDatabase,
  table: PlannedTable,
  column: string,
  typed: string,
  call: Call & { filled: Readonly<Record<string, string>> },
): Promise<string[]> {
  const { sql: raw } = await import('kysely')
  const { sql, parameters } = await compiled(database, async (builder) => {
    const text = raw<string>`cast(${raw.ref(column)} as ${raw.raw(database.driver.dialect === 'mysql' ? 'char' : 'text')})`
    let query = builder
      .selectFrom(from(table))
      .select(column)
      .distinct()
      .where(raw<boolean>`${text} like ${`${typed.replace(/[\\%_]/g, '!$&')}%`} escape '!'`)
    for (const other of table.key) {
      const value = call.filled[variableOf(other)]
      if (other !== column && value !== undefined)
        query = query.where(other, '=', keyValue(table.columns, other, value))
    }
    return query.orderBy(column).limit(mostOffered).compile()
  })
  const { rows } = await database.run({ text: sql, values: parameters as SqlValue[], access: 'read' }, call)
  return rows.map(([value]) => String(value))
}
