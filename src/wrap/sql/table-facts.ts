import type { JsonSchema } from '../../kit/schema.js'
import { listOf } from './postgres-types.js'
import type { RefusedTable, Table } from './tables.js'
import type { SqlDialect } from './tokens.js'
import { isCode, type Token, tokensIn } from './tokens.js'

/** Properties of tables besides their columns. */
export interface Facts {
  /** By table, as `schema.table` where there are schemas. */
  readonly keys: ReadonlyMap<string, readonly string[]>
  readonly comments: ReadonlyMap<string, string>
  readonly columnComments: ReadonlyMap<string, string>
  readonly references: ReadonlyMap<string, Table['references']>
  /** By `table.column`: details that the type's name does not contain. */
  readonly columnSchemas?: ReadonlyMap<string, JsonSchema>
}

/** Runs a statement and returns its rows. */
export type Rows = (text: string) => Promise<Record<string, string>[]>

export const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`

const grouped = <T>(rows: readonly Record<string, string>[], of: (row: Record<string, string>) => T) => {
  const groups = new Map<string, T[]>()
  for (const row of rows) groups.set(String(row.t), [...(groups.get(String(row.t)) ?? []), of(row)])
  return groups
}
const referenceOf = ({ c, target }: Record<string, string>) => ({ column: String(c), to: String(target) })
const commentsIn = (rows: readonly Record<string, string>[]) =>
  new Map(rows.flatMap(({ t, about }) => (about ? [[String(t), String(about)] as const] : [])))

/** SQLite keeps the text that created a table, including its comments. */
async function sqliteFacts(rows: Rows, refused: readonly RefusedTable[]): Promise<Facts> {
  const without =
    refused.length > 0 ? ` and name not in (${refused.map(({ name }) => quoted(name)).join(', ')})` : ''
  const tables = `(select name, sql from sqlite_master where type in ('table', 'view')${without})`
  const keys = await rows(
    `select m.name as t, p.name as c from ${tables} m, pragma_table_info(m.name) p where p.pk > 0 order by m.name, p.pk`,
  )
  const references = await rows(
    `select m.name as t, f."from" as c, f."table" || coalesce('.' || f."to", '') as target from ${tables} m, pragma_foreign_key_list(m.name) f`,
  )
  const made = (await rows(`select name as t, sql as about from ${tables}`)).map(({ t = '', about }) => ({
    t,
    said: commentsOfText(String(about ?? '')),
  }))
  return {
    keys: grouped(keys, ({ c }) => String(c)),
    references: grouped(references, referenceOf),
    comments: new Map(made.flatMap(({ t, said }) => (said.table ? [[t, said.table] as const] : []))),
    columnComments: new Map(
      made.flatMap(({ t, said }) => [...said.columns].map(([column, text]) => [`${t}.${column}`, text] as const)),
    ),
  }
}

/**
 * A comment after the opening bracket, or after the `as` of a view, describes the table; one at the end of a column's
 * line describes the column.
 */
function commentsOfText(text: string): { table?: string; columns: Map<string, string> } {
  const columns = new Map<string, string>()
  const tokens = tokensIn(text, 'sqlite')
  const opening = tokens.findIndex(
    ({ kind, text: word }) => word === '(' || (kind === 'word' && /^as$/i.test(word)),
  )
  let table: string | undefined
  let column: string | undefined
  let isAtStart = true
  let depth = 0
  const nameIn = ({ kind, text: word }: Token) => (kind === 'name' ? word.slice(1, -1) : word)
  for (const token of tokens.slice(opening + 1)) {
    if (token.kind === 'comment') {
      const said = token.text.replace(/^--|^\/\*|\*\/$/g, '').trim()
      if (column === undefined) table = table === undefined ? said : `${table} ${said}`
      else if (!columns.has(column)) columns.set(column, said)
    } else if (token.text === '(') depth++
    else if (token.text === ')') depth--
    else if (token.text === ',' && depth === 0) isAtStart = true
    else if (isCode(token) && isAtStart) {
      column = nameIn(token)
      isAtStart = false
    }
  }
  return { ...(table === undefined ? {} : { table }), columns }
}

async function postgresFacts(rows: Rows): Promise<Facts> {
  const within = `from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
    cross join lateral unnest(k.conkey) with ordinality as place(attnum, position)
    join pg_attribute a on a.attrelid = k.conrelid and a.attnum = place.attnum`
  const table = `n.nspname || '.' || c.relname as t`
  return {
    keys: grouped(
      await rows(`select ${table}, a.attname as c ${within} where k.contype = 'p' order by 1, place.position`),
      ({ c }) => String(c),
    ),
    references: grouped(
      await rows(
        `select ${table}, a.attname as c, k.confrelid::regclass::text as target ${within} where k.contype = 'f'`,
      ),
      referenceOf,
    ),
    comments: commentsIn(
      await rows(
        `select ${table}, obj_description(c.oid, 'pg_class') as about from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind in ('r', 'v', 'p', 'm')`,
      ),
    ),
    columnComments: new Map(),
    columnSchemas: new Map(
      (await rows(ownColumnTypes)).map(({ t, c, labels, array }) => {
        const schema: JsonSchema = { type: 'string', enum: JSON.parse(String(labels)) }
        return [`${t}.${c}`, String(array) === 'true' ? listOf(schema) : schema] as const
      }),
    ),
  }
}

/** Columns whose type is an enum, or a list of enum values. */
const ownColumnTypes = `
  select n.nspname || '.' || c.relname as t, a.attname as c, (y.typelem <> 0)::text as array,
    (select json_agg(e.enumlabel order by e.enumsortorder)::text from pg_enum e where e.enumtypid = coalesce(nullif(y.typelem, 0), y.oid)) as labels
  from pg_attribute a join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace join pg_type y on y.oid = a.atttypid
  where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'v', 'p', 'm')
    and exists (select 1 from pg_enum e where e.enumtypid = coalesce(nullif(y.typelem, 0), y.oid))`

async function mysqlFacts(rows: Rows): Promise<Facts> {
  const within = 'from information_schema.KEY_COLUMN_USAGE where TABLE_SCHEMA = database()'
  return {
    keys: grouped(
      await rows(
        `select TABLE_NAME as t, COLUMN_NAME as c ${within} and CONSTRAINT_NAME = 'PRIMARY' order by TABLE_NAME, ORDINAL_POSITION`,
      ),
      ({ c }) => String(c),
    ),
    references: grouped(
      await rows(
        `select TABLE_NAME as t, COLUMN_NAME as c, concat(REFERENCED_TABLE_NAME, '.', REFERENCED_COLUMN_NAME) as target ${within} and REFERENCED_TABLE_NAME is not null`,
      ),
      referenceOf,
    ),
    comments: commentsIn(
      await rows(
        `select TABLE_NAME as t, TABLE_COMMENT as about from information_schema.TABLES where TABLE_SCHEMA = database() and TABLE_COMMENT not in ('', 'VIEW')`,
      ),
    ),
    columnComments: new Map(),
    columnSchemas: new Map(
      (
        await rows(
          `select TABLE_NAME as t, COLUMN_NAME as c, COLUMN_TYPE as y from information_schema.COLUMNS where TABLE_SCHEMA = database() and DATA_TYPE = 'enum'`,
        )
      ).map(({ t, c, y }) => [`${t}.${c}`, { type: 'string', enum: labelsIn(String(y)) }] as const),
    ),
  }
}

/** `enum('ivy','lime''s')` */
const labelsIn = (type: string): string[] =>
  [...type.matchAll(/'((?:[^']|'')*)'/g)].map(([, label = '']) => label.replaceAll("''", "'"))

/** Keys, comments, references and types from the catalogue of the database. */
export const factsOf = (dialect: SqlDialect, rows: Rows, refused: readonly RefusedTable[]): Promise<Facts> =>
  ({ sqlite: sqliteFacts, postgres: postgresFacts, mysql: mysqlFacts })[dialect](rows, refused)
