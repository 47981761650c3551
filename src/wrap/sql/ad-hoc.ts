import type { Call } from '../../kit/call.js'
import { closestTo, suggestion } from '../../kit/closest.js'
import { type Outcome, outcome } from '../../kit/outcome.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import { belongings, cutText } from './belongings.js'
import { rowsOf, type SharedDatabase } from './database.js'
import { foreignStatement } from './foreign.js'
import type { PlannedTable, SqlPlan } from './plan.js'
import { shownTable } from './rows.js'
import type { SqlDialect } from './tokens.js'

const dialectNames: Readonly<Record<SqlDialect, string>> = {
  sqlite: 'SQLite',
  postgres: 'PostgreSQL',
  mysql: 'MySQL',
}
const maxShown = 60
const maxSkipped = 1_000_000

/** Two tools for ad-hoc queries: one describes the tables, one runs a SELECT. */
export function adHocParts(plan: SqlPlan, database: SharedDatabase): Part[] {
  const { address, prefix } = plan
  const slug = address.name.replaceAll('-', '_')
  const names = { explain: `${prefix}explain_${slug}`, ask: `${prefix}ask_${slug}` }
  return [explainTool(names, plan, database), askTool(names, plan, database)]
}

interface Names {
  readonly explain: string
  readonly ask: string
}

function explainTool({ explain, ask }: Names, plan: SqlPlan, database: SharedDatabase): Part {
  return tool(explain, {
    about: `Explains the tables of the ${plan.address.name} database: lists all names, finds tables by words, or shows one with its columns. Use ${ask} to read from them.`,
    effect: 'read',
    ...belongings(database),
    input: {
      type: 'object',
      properties: {
        table: { type: 'string', description: 'Name of a table or view to show whole' },
        words: { type: 'string', maxLength: 200, description: 'Words to find tables and columns by' },
      },
      additionalProperties: false,
    } as const,
    async run({ table, words }, call) {
      if (plan.isPartial) await call.use(database)
      return table === undefined ? found(plan.tables, words ?? '') : shown(plan.tables, table)
    },
  })
}

function askTool({ explain, ask }: Names, plan: SqlPlan, shared: SharedDatabase): Part {
  const { name, dialect } = plan.address
  return tool(ask, {
    about: `Reads from the ${name} database with one SELECT statement of ${dialectNames[dialect]}. Use ${explain} to list the tables. Long results are truncated; use skip to get the next rows.`,
    effect: 'read',
    ...belongings(shared),
    input: {
      type: 'object',
      properties: {
        sql: { type: 'string', minLength: 1, maxLength: 20_000, description: 'One SELECT statement' },
        skip: {
          type: 'integer',
          minimum: 0,
          maximum: maxSkipped,
          default: 0,
          description: 'Number of rows to skip, as reported by a result that was cut',
        },
      },
      required: ['sql'],
      additionalProperties: false,
    },
    output: {
      type: 'object',
      properties: {
        rows: { type: 'array', items: { type: 'object' } },
        nextSkip: { type: 'integer', description: 'Give it as skip for the rows after these.' },
      },
      required: ['rows'],
    },
    run: (async ({ sql, skip = 0 }: { sql: string; skip?: number }, call: Call): Promise<Outcome> => {
      const text = foreignStatement(sql, dialect)
      const database = await call.use(shared)
      const result = await database.run({ text, values: [], access: 'read', skip, isForeign: true }, call)
      const nextSkip = skip + result.rows.length
      const note = `${cutText(result)} For the next rows, repeat the statement with skip ${nextSkip}; use ORDER BY for a stable order.`
      return outcome({
        structured: { rows: rowsOf(result), ...(result.cutBy ? { nextSkip } : {}) } as unknown as JsonObject,
        blocks: result.cutBy ? [{ type: 'text', text: note }] : [],
      })
    }) as () => never,
  })
}

function found(tables: readonly PlannedTable[], words: string): object {
  const wanted = words
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)
  const scored = tables
    .map((table) => ({ table, score: scoreOf(table, wanted) }))
    .filter(({ score }) => wanted.length === 0 || score > 0)
    .sort((a, b) => b.score - a.score)
  return {
    tables: scored.slice(0, maxShown).map(({ table: { name, about, columns } }) => {
      const names = columns.slice(0, 12).map((column) => column.name)
      return `${name}(${names.join(', ')}${columns.length > 12 ? ', …' : ''})${about ? `: ${about}` : ''}`
    }),
    ...(scored.length > maxShown
      ? { note: `${scored.length - maxShown} more; narrow the search with words.` }
      : {}),
  }
}

function scoreOf({ name, about = '', columns }: PlannedTable, wanted: readonly string[]): number {
  const texts = [name, ...columns.map((column) => column.name)].join(' ').toLowerCase()
  const said = [about, ...columns.map((column) => column.about ?? '')].join(' ').toLowerCase()
  return wanted.reduce(
    (sum, word) =>
      sum + (name.toLowerCase().includes(word) ? 4 : texts.includes(word) ? 2 : said.includes(word) ? 1 : 0),
    0,
  )
}

function shown(tables: readonly PlannedTable[], name: string): object {
  const same = (other: string) => other.toLowerCase() === name.toLowerCase()
  const bare = tables.filter((one) => same(one.bareName))
  const table = tables.find((one) => same(one.name)) ?? (bare.length === 1 ? bare[0] : undefined)
  if (table) return shownTable(table)
  const closest = closestTo(
    name,
    tables.map((one) => one.name),
  )
  throw new Refusal(`There is no table ${JSON.stringify(name)}${suggestion(closest) || '.'}`)
}
