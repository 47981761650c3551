import { uriComponent } from '../../escape/uri.js'
import { chosenFrom } from '../../kit/choose.js'
import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { SqlAddress } from './address.js'
import type { Query } from './queries.js'
import type { ReadQuery, SqlReading } from './read.js'
import type { Table } from './tables.js'
import { isCode, parametersOf, placed, wordsOf } from './tokens.js'
import { argumentsByColumns, originOf, tablesIn } from './typing.js'
import { uniqueColumns } from './unique-columns.js'

export interface SqlPlanOptions {
  /** Tools and tables to include, by name, glob or `tag:…`. */
  readonly only?: readonly string[]
  readonly except?: readonly string[]
  /** Prefix of the tool names. */
  readonly prefix?: string
  readonly tags?: readonly string[]
  /** Tables and views become resources. Default: true. */
  readonly tables?: boolean
  /** Adds two tools: one describes the tables, one runs a SELECT. */
  readonly adHoc?: boolean
}

/** The tools and resources of a database, as plain JSON. */
export interface SqlPlan {
  readonly version: 1
  readonly kind: 'sql'
  readonly address: SqlAddress
  readonly tools: readonly PlannedQuery[]
  readonly tables: readonly PlannedTable[]
  readonly skipped: readonly SkippedQuery[]
  readonly warnings: readonly string[]
  readonly prefix: string
  readonly adHoc: boolean
  /** True if the database could not be reached: types and tables are unknown. */
  readonly isPartial: boolean
}
export interface PlannedQuery {
  readonly name: string
  readonly title?: string
  readonly about: string
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly tags: readonly string[]
  readonly where: string
  /** The statement with placeholders in the database's syntax. */
  readonly text: string
  /** The argument of each placeholder. */
  readonly names: readonly string[]
  /** The statement with names, if some of them are lists: it gets a placeholder for each item at run time. */
  readonly listed?: { readonly text: string; readonly lists: readonly string[] }
  readonly input: JsonSchema
  /** Schema of a row; undefined if the columns are unknown. */
  readonly row?: JsonSchema
  readonly isOne: boolean
  readonly confirm?: string
  readonly examples: readonly Readonly<Record<string, unknown>>[]
}
export interface PlannedTable extends Table {
  /** The resources of its rows, or of the whole table if it has no key. */
  readonly uri: string
  readonly isByKey: boolean
}
export interface SkippedQuery {
  readonly name: string
  readonly where: string
  readonly reason: string
  readonly fix: string
}

const reading = new Set(['SELECT', 'WITH', 'VALUES', 'TABLE', 'SHOW', 'EXPLAIN'])
const writing = new Set(['INSERT', 'UPDATE', 'DELETE', 'REPLACE', 'MERGE', 'TRUNCATE', 'CALL'])

/** Determines which statements and tables are included. Pure: the same reading and options give the same plan. */
export function planDatabase(read: SqlReading, options: SqlPlanOptions = {}): SqlPlan {
  const { address, queries, tables } = read
  const prefix = options.prefix ?? ''
  const known = tables ?? []
  const items = [
    ...queries.map((query) => ({ query, key: prefix + query.name, tags: query.tags })),
    ...(options.tables === false ? [] : known.map((table) => ({ table, key: table.name, tags: [] as string[] }))),
  ]
  const chosen = choice(items, options, read.tables === undefined)
  const skipped: SkippedQuery[] = []
  const warnings = (read.refused ?? []).map(
    ({ name, reason }) => `${name}: skipped, because the database refused it (${reason})`,
  )
  const tools: PlannedQuery[] = []
  const taken = new Map<string, string>()
  for (const item of items) {
    if (!('query' in item)) continue
    const { query, key: name } = item
    const fault = faultOf(query, taken.get(name)) ?? (chosen.has(item) ? undefined : notAmong)
    if (fault) skipped.push({ name, where: query.where, ...fault })
    else {
      taken.set(name, query.where)
      warnings.push(...warningsOf(query, name))
      tools.push(plannedQuery(query, name, read, options.tags ?? []))
    }
  }
  return {
    version: 1,
    kind: 'sql',
    address,
    tools,
    tables: items.flatMap((item) =>
      'table' in item && chosen.has(item) ? [plannedTable(item.table, address)] : [],
    ),
    skipped,
    warnings,
    prefix,
    adHoc: options.adHoc === true,
    isPartial: tables === undefined,
  }
}

type Item = { key: string; tags: readonly string[] } & ({ query: ReadQuery } | { table: Table })

/** If the database cannot be reached, missing tables are not reported. */
function choice(items: readonly Item[], { only, except }: SqlPlanOptions, isPartial: boolean): Set<Item> {
  const find = (names: readonly string[]) =>
    isPartial
      ? new Set(names.flatMap((name) => [...found(items, name)]))
      : chosenFrom(items, ({ key, tags }) => ({ key, tags }), names)
  const wanted = only && only.length > 0 ? find(only) : new Set(items)
  for (const left of find(except ?? [])) wanted.delete(left)
  return wanted
}

function found(items: readonly Item[], name: string): Set<Item> {
  try {
    return chosenFrom(items, ({ key, tags }) => ({ key, tags }), [name])
  } catch {
    return new Set()
  }
}

const notAmong = { reason: 'not included by only', fix: 'name it' }

function faultOf(query: ReadQuery, other: string | undefined): { reason: string; fix: string } | undefined {
  const { statement, effect, described, faults, name } = query
  const [first = ''] = wordsOf(statement)
  if (!/^[A-Za-z0-9_.-]{1,128}$/.test(name))
    return { reason: `${JSON.stringify(name)} is not a valid tool name`, fix: 'use A-Z a-z 0-9 _ - . in @name' }
  if (other !== undefined)
    return { reason: `the name is already used by ${other}`, fix: 'choose another with @name' }
  if (faults.length > 0) return { reason: faults.join('; '), fix: 'fix the comment before it' }
  if (!reading.has(first) && !writing.has(first))
    return {
      reason: `${first || 'it'} is not a statement that a tool can run`,
      fix: 'write a SELECT, INSERT, UPDATE or DELETE',
    }
  if (isWriting(query) && effect === undefined)
    return { reason: 'it writes data, but declares no effect', fix: 'declare @effect add, change or remove' }
  if (isWriting(query) && effect === 'read')
    return { reason: 'it declares @effect read, but writes data', fix: 'declare @effect add, change or remove' }
  return typeof described === 'string'
    ? { reason: `the database refused it: ${described}`, fix: 'fix the statement' }
    : undefined
}

const isWriting = ({ statement }: Query): boolean => {
  const words = wordsOf(statement)
  return (
    writing.has(words[0] ?? '') ||
    (words[0] === 'WITH' && words.some((word) => /^(INSERT|UPDATE|DELETE|MERGE)$/.test(word)))
  )
}

function warningsOf({ parameters, statement, where, described }: ReadQuery, name: string): string[] {
  if (described === undefined) return []
  const bare = parametersOf(statement).filter((parameter) => !parameters.get(parameter)?.about)
  return bare.length > 0 ? [`${name} (${where}) has no description of ${bare.join(', ')}; add @param`] : []
}

function plannedQuery(query: ReadQuery, name: string, read: SqlReading, tags: readonly string[]): PlannedQuery {
  const { statement, title, about, examples, isOne, where, confirm, effect = 'read' } = query
  const tables = tablesIn(statement, read.tables ?? [])
  const { text, names } = placed(statement, read.address.dialect)
  const row = rowSchema(query, tables)
  const lists = listsOf(query)
  return {
    name,
    ...(title === undefined ? {} : { title }),
    about: about || composed(query, tables, row),
    isDescribed: about !== '',
    effect,
    tags: [...new Set([...tags, ...query.tags])],
    where,
    text,
    names,
    ...(lists.length > 0 ? { listed: { text: statement.text, lists } } : {}),
    input: inputOf(query, names, tables),
    ...(row ? { row } : {}),
    isOne,
    ...(confirm === undefined ? {} : { confirm }),
    examples,
  }
}

/** Parameters that occur only in `in (…)`, and are declared as lists. */
function listsOf({ parameters, statement }: ReadQuery): string[] {
  const code = statement.tokens.filter(isCode)
  return [...parameters].flatMap(([name, { schema }]) => {
    if (schema.type !== 'array') return []
    const isAlone = code.some(
      ({ text }, at) =>
        text === `:${name}` &&
        code[at - 1]?.text === '(' &&
        code[at + 1]?.text === ')' &&
        /^in$/i.test(code[at - 2]?.text ?? ''),
    )
    return isAlone ? [name] : []
  })
}

/** Type of a parameter, by precedence: the author's, the database's, that of the columns it is compared with. */
function inputOf(
  { parameters, statement, described }: ReadQuery,
  places: readonly string[],
  tables: readonly Table[],
): JsonSchema {
  // In the order of the notes; parameters without notes come last.
  const used = parametersOf(statement)
  const names = [...new Set([...[...parameters.keys()].filter((name) => used.includes(name)), ...used])]
  const byColumns = argumentsByColumns(statement, tables)
  const told = typeof described === 'object' ? described.parameters : []
  const properties: Record<string, JsonSchema> = {}
  for (const name of names) {
    const notes = parameters.get(name)
    const column = byColumns.get(name)
    const description = notes?.about || column?.about
    // A row limit is a small number, whatever type the database infers.
    const known = column?.isCount ? column.schema : (told[places.indexOf(name)] ?? column?.schema)
    properties[name] = {
      ...(notes?.schema.type === undefined ? known : {}),
      ...notes?.schema,
      ...(description ? { description } : {}),
    }
  }
  const required = names.filter((name) => !parameters.get(name)?.isOptional)
  return {
    type: 'object',
    ...(names.length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  }
}

/** The result columns as the database describes them; each may be null if joins or expressions allow it. */
function rowSchema({ described, statement }: ReadQuery, tables: readonly Table[]): JsonSchema | undefined {
  if (typeof described !== 'object' || described.columns.length === 0) return undefined
  const isJoined = wordsOf(statement).some((word) => /^(LEFT|RIGHT|FULL|OUTER|UNION|ROLLUP|CUBE)$/.test(word))
  const names = uniqueColumns(described.columns.map(({ name }) => name))
  const properties = described.columns.map((column, at): [string, JsonSchema] => {
    const origin = originOf(column, tables)
    const schema = Object.keys(column.schema).length > 0 ? column.schema : (origin?.schema ?? {})
    const isFilled = origin !== undefined && !origin.isNullable && !isJoined
    return [
      String(names[at]),
      { ...(isFilled ? schema : nullable(schema)), ...(origin?.about ? { description: origin.about } : {}) },
    ]
  })
  return { type: 'object', properties: Object.fromEntries(properties), required: names }
}

function nullable(schema: JsonSchema): JsonSchema {
  const { anyOf, type, description, ...rest } = schema
  const said = description === undefined ? {} : { description }
  if (Array.isArray(anyOf)) return { ...said, anyOf: [...anyOf, { type: 'null' }] }
  return type === undefined ? schema : { ...said, anyOf: [{ type, ...rest }, { type: 'null' }] }
}

function composed({ name, statement }: ReadQuery, tables: readonly Table[], row: JsonSchema | undefined): string {
  const from = tables.map((table) => table.name).join(', ') || 'the database'
  const gives = Object.keys((row?.properties ?? {}) as object)
  const [first = ''] = wordsOf(statement)
  const verb = writing.has(first) ? `Runs ${name} on` : 'Rows of'
  return `${verb} ${from}${gives.length > 0 ? `: ${gives.slice(0, 12).join(', ')}${gives.length > 12 ? ' and more' : ''}` : ''}.`
}

/** Rows are read by their key; a table without a key is read as a whole. */
function plannedTable(table: Table, { name }: SqlAddress): PlannedTable {
  const place = `${name}://${uriComponent(table.name)}`
  const isByKey = table.key.length > 0
  const variables = table.key.map((column) => `{${variableOf(column)}}`).join('/')
  return {
    ...table,
    isByKey,
    uri: isByKey ? `${place}/${variables}` : place === `${name}://schema` ? `${place}-rows` : place,
  }
}

/** Variables of templates allow fewer characters than column names. */
export const variableOf = (column: string): string => column.replace(/[^A-Za-z0-9_]+/g, '_')
