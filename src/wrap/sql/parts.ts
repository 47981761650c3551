import type { Call } from '../../kit/call.js'
import { type Outcome, outcome } from '../../kit/outcome.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import type { JsonSchema } from '../../kit/schema.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import { publishedOutput } from '../schema/definitions.js'
import { adHocParts } from './ad-hoc.js'
import { argumentValue } from './argument-value.js'
import { belongings, cutText, rowUri } from './belongings.js'
import { rowsOf, type SharedDatabase, type SqlRow } from './database.js'
import type { SqlValue } from './driver.js'
import type { PlannedQuery, SqlPlan } from './plan.js'
import { tableParts } from './rows.js'
import { type SqlSearchOptions, searchTool } from './search.js'
import { placed, type SqlDialect, type Statement, statementsIn } from './tokens.js'

/** The parts of a plan: a tool per statement, resources for tables, and optional tools. */
export function sqlPartsOf(plan: SqlPlan, database: SharedDatabase, search?: SqlSearchOptions): Part[] {
  return [
    ...plan.tools.map((query) => queryTool(plan, query, database)),
    ...(plan.adHoc ? adHocParts(plan, database) : []),
    // Its columns are unknown until the database is available.
    ...(search && !plan.isPartial ? [searchTool(plan, database, search)] : []),
    ...tableParts(plan, database),
  ]
}

function queryTool(plan: SqlPlan, query: PlannedQuery, database: SharedDatabase): Part {
  const { name, about, title, tags, effect, examples, confirm } = query
  return tool(name, {
    about,
    ...(title === undefined ? {} : { title }),
    ...(tags.length > 0 ? { tags } : {}),
    effect,
    examples: examples.map((input) => ({ input })),
    input: query.input,
    ...(query.isOne && !query.row ? {} : { output: publishedOutput(outputOf(query), false, unexpected) }),
    ...(confirm === undefined
      ? {}
      : { confirm: { say: (given: unknown) => filled(confirm, given), ifPossible: true } }),
    ...belongings(database),
    run: ((given: JsonObject, call: Call) => carriedOut(plan, query, given, call, database)) as () => never,
  })
}

const unexpected = 'Values whose type differs from the type of their column'

/** `Move {hive} to {to}?` with the arguments filled in. */
const filled = (sentence: string, given: unknown): string =>
  sentence.replace(/\{(\w+)\}/g, (_whole, name: string) => String((given as JsonObject)[name] ?? ''))

function outputOf({ row = { type: 'object' }, isOne, effect }: PlannedQuery): JsonSchema {
  if (isOne) return row
  const rows = { type: 'array', items: row }
  if (effect === 'read')
    return {
      type: 'object',
      properties: { rows, more: { type: 'boolean', description: 'There are more rows than these.' } },
      required: ['rows'],
    }
  const changed = { type: 'integer', description: 'How many rows were added, changed or removed.' }
  return { type: 'object', properties: { changed, ...(row.properties ? { rows } : {}) }, required: ['changed'] }
}

async function carriedOut(
  plan: SqlPlan,
  query: PlannedQuery,
  given: JsonObject,
  call: Call,
  shared: SharedDatabase,
): Promise<Outcome> {
  const database = await call.use(shared)
  const defaults = (query.input.properties ?? {}) as Record<string, JsonSchema>
  const valueFor = (name: string) =>
    argumentValue(name, defaults[name] ?? {}, given[name] === undefined ? defaults[name]?.default : given[name])
  const access = query.effect === 'read' ? 'read' : 'write'
  const statement = query.listed
    ? withLists(query.listed, plan.address.dialect, valueFor)
    : { text: query.text, values: query.names.map(valueFor) }
  const result = await database.run({ ...statement, access }, call)
  const rows = rowsOf(result)
  if (access === 'write') touchRows(plan, query, rows, call)
  if (query.isOne) {
    const [row] = rows
    if (!row) throw new Refusal(`No row found: ${query.name} returned nothing for ${JSON.stringify(given)}.`)
    return outcome({ structured: row as JsonObject, blocks: [] })
  }
  if (access === 'write') {
    const { changed = 0 } = result
    return outcome({
      structured: { changed, ...(query.row || rows.length > 0 ? { rows } : {}) } as JsonObject,
      blocks: [],
    })
  }
  return outcome({
    structured: { rows, ...(result.cutBy ? { more: true } : {}) } as unknown as JsonObject,
    blocks: result.cutBy
      ? [{ type: 'text', text: `${cutText(result)} Narrow the result with the arguments of ${query.name}.` }]
      : [],
  })
}

/** A statement with a placeholder for each item of its lists. */
function withLists(
  { text, lists }: NonNullable<PlannedQuery['listed']>,
  dialect: SqlDialect,
  valueFor: (name: string) => SqlValue,
): { text: string; values: SqlValue[] } {
  const items = Object.fromEntries(lists.map((name) => [name, [valueFor(name)].flat() as SqlValue[]]))
  const [statement] = statementsIn(text, dialect)
  const counts = Object.fromEntries(Object.entries(items).map(([name, { length }]) => [name, length]))
  const made = placed(statement as Statement, dialect, counts)
  const next = new Map<string, number>()
  const values = made.names.map((name) => {
    const list = items[name]
    if (!list) return valueFor(name)
    const at = next.get(name) ?? 0
    next.set(name, at + 1)
    return list[at % list.length] ?? null
  })
  return { text: made.text, values }
}

/** Reports rows that a writing statement returned as changed, if they contain their key. */
function touchRows({ tables }: SqlPlan, query: PlannedQuery, rows: readonly SqlRow[], call: Call): void {
  const words = new Set(query.text.toLowerCase().match(/\w+/g))
  for (const table of tables.filter(({ bareName, isByKey }) => isByKey && words.has(bareName.toLowerCase())))
    for (const row of rows)
      if (table.key.every((column) => row[column] !== undefined && row[column] !== null))
        call.resourceUpdated(rowUri(table.uri, table.key, row))
}
