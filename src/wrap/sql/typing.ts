import type { JsonSchema } from '../../kit/schema.js'
import type { DescribedColumn } from './driver.js'
import type { Table, TableColumn } from './tables.js'
import { isCode, type Statement, type Token } from './tokens.js'

const bare = (text: string): string => text.replace(/^["`[]|["`\]]$/g, '').toLowerCase()

/** The tables that a statement names. */
export function tablesIn({ tokens }: Pick<Statement, 'tokens'>, tables: readonly Table[]): Table[] {
  const names = new Set(
    tokens.flatMap(({ kind, text }) => (kind === 'word' || kind === 'name' ? [bare(text)] : [])),
  )
  return tables.filter(({ bareName }) => names.has(bareName.toLowerCase()))
}

/** The table column of a result column: as reported by the database, else by a name that only one table has. */
export function originOf(
  { name, table, column }: DescribedColumn,
  tables: readonly Table[],
): TableColumn | undefined {
  if (table !== undefined && column !== undefined)
    return tables.find(({ bareName }) => bareName === table)?.columns.find((one) => one.name === column)
  return onlyColumn(name, tables)
}

function onlyColumn(name: string, tables: readonly Table[]): TableColumn | undefined {
  const found = tables.flatMap(({ columns }) =>
    columns.filter((one) => one.name.toLowerCase() === name.toLowerCase()),
  )
  return found.length === 1 ? found[0] : undefined
}

export interface Argument {
  readonly schema: JsonSchema
  readonly about?: string
  /** True if it follows `limit` or `offset`. */
  readonly isCount?: boolean
}

/**
 * Types of parameters from the columns that they are used with: `site = :site`, `:most >= frames`, `insert into hives
 * (site) values (:site)`, `limit :most`. For databases that do not report them.
 */
export function argumentsByColumns(
  { tokens }: Pick<Statement, 'tokens'>,
  tables: readonly Table[],
): Map<string, Argument> {
  const code = tokens.filter(isCode)
  const inserted = insertedColumns(code)
  const found = new Map<string, Argument>()
  for (const [at, token] of code.entries()) {
    if (token.kind !== 'parameter') continue
    const name = token.text.slice(1)
    const known = argumentAt(code, at, tables) ?? columnArgument(inserted.get(at), tables)
    if (known && !found.has(name)) found.set(name, known)
  }
  return found
}

const comparing = /^([=<>!]|like|ilike|in|between|is|not)$/i

function argumentAt(code: readonly Token[], at: number, tables: readonly Table[]): Argument | undefined {
  let before = at - 1
  while (before >= 0 && isBetween(code, before)) before--
  const word = code[before]?.text.toLowerCase() ?? ''
  // An `and` continues a comparison only between the two values of `between`; otherwise it starts the next one.
  const ands = code.slice(before + 1, at).filter(({ text }) => /^and$/i.test(text)).length
  const isContinued = ands === 0 || (ands === 1 && word === 'between')
  if (word === 'limit' || word === 'offset') return { schema: { type: 'integer', minimum: 0 }, isCount: true }
  if (comparing.test(word) && isContinued) {
    while (before >= 0 && comparing.test(code[before]?.text ?? '')) before--
    return columnArgument(code[before]?.text, tables)
  }
  const after = code[at + 1]?.text ?? ''
  if (!comparing.test(after)) return undefined
  let next = at + 2
  while (comparing.test(code[next]?.text ?? '')) next++
  // In `:hive = h.hive`, the table comes first.
  if (code[next + 1]?.text === '.') next += 2
  return columnArgument(code[next]?.text, tables)
}

/** Tokens between a comparison and its value: `between :a and :b`, `in (:a, :b)`. */
const isBetween = (code: readonly Token[], at: number): boolean => {
  const text = code[at]?.text.toLowerCase() ?? ''
  return text === 'and'
    ? code[at - 1]?.kind === 'parameter'
    : text === '('
      ? /^in$/i.test(code[at - 1]?.text ?? '')
      : text === ',' || code[at]?.kind === 'parameter'
}

function columnArgument(name: string | undefined, tables: readonly Table[]): Argument | undefined {
  const column = name === undefined ? undefined : onlyOf(bare(name), tables)
  return column && { schema: column.schema, ...(column.about ? { about: column.about } : {}) }
}

/** If several columns have the same name, such as a key and a foreign key, the first is used. */
function onlyOf(name: string, tables: readonly Table[]): TableColumn | undefined {
  return tables.flatMap(({ columns }) => columns).find((column) => column.name.toLowerCase() === name)
}

/** For each placeholder in `values (…)`, the column at the same position in `insert into t (…)`. */
function insertedColumns(code: readonly Token[]): Map<number, string> {
  const columns = new Map<number, string>()
  const into = code.findIndex(({ text }) => /^into$/i.test(text))
  const opening = code.findIndex(({ text }, at) => at > into && text === '(')
  const values = code.findIndex(({ text }, at) => at > opening && /^values$/i.test(text))
  if (into < 0 || opening < 0 || values < 0) return columns
  const names = code.slice(opening + 1, values).filter(({ kind }) => kind === 'word' || kind === 'name')
  let place = 0
  let depth = 0
  for (let at = values + 1; at < code.length; at++) {
    const { text = '' } = code[at] ?? {}
    if (text === '(' && depth++ === 0) place = 0
    else if (text === ')') depth--
    else if (text === ',' && depth === 1) place++
    else if (depth >= 1 && code[at]?.kind === 'parameter') columns.set(at, names[place]?.text ?? '')
    if (depth === 0 && text !== ',' && text !== ')') break
  }
  return columns
}
