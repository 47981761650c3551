import { messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import { closestTo } from '../../kit/closest.js'
import type { Part } from '../../kit/part.js'
import { tool } from '../../kit/tool.js'
import { byWordsOnly, Finder, type FinderOptions, type Found } from '../search/finder.js'
import { fused } from '../search/fuse.js'
import type { Embed } from '../search/vectors.js'
import { belongings, rowUri } from './belongings.js'
import type { SharedDatabase, SqlDatabase } from './database.js'
import { sqlErrors } from './errors.js'
import type { PlannedTable, SqlPlan } from './plan.js'
import { isVectorColumn, type VectorColumn, vectorColumnOf } from './vector-columns.js'

export interface SqlSearchOptions extends FinderOptions {
  /** Text columns that are searched: `inspections.note`. */
  readonly columns: readonly string[]
  /**
   * Columns that hold the vectors of text columns: `{ 'inspections.note': 'note_vector' }`. Default: a vector column of the same table whose name starts with the name of
   * the text column, or the only vector column. With `embed`, the database finds the nearest rows itself (libsql; PostgreSQL with the extension `vector`).
   */
  readonly vectorColumns?: Readonly<Record<string, string>>
  /** Age in milliseconds after which the index is rebuilt. Default: 60,000. */
  readonly refreshMs?: number
}

/** Number of entries that are used from each ranking. */
const depth = 50
const mostRows = 50_000
/** Long texts are shortened in results. */
const mostShown = 2000

interface Row {
  readonly table: PlannedTable
  readonly column: string
  readonly key: Readonly<Record<string, unknown>>
  readonly text: string
}
interface Built {
  readonly finder: Finder<number>
  readonly rows: readonly Row[]
  /** Numbers of rows by table, column and key. */
  readonly numbers: ReadonlyMap<string, number>
  readonly note?: string
  readonly at: number
}

/** A tool that finds rows by the content of their text columns. Throws a `JexoError` for an unknown column. */
export function searchTool(plan: SqlPlan, shared: SharedDatabase, options: SqlSearchOptions): Part {
  const { refreshMs = 60_000 } = options
  const places = options.columns.map((column) => placeOf(plan, column, options))
  const states = new WeakMap<SqlDatabase, { built?: Built; making?: Promise<Built> | undefined }>()
  const index = async (database: SqlDatabase, call: Call): Promise<Built> => {
    const state = states.get(database) ?? {}
    states.set(database, state)
    if (state.built && Date.now() - state.built.at < refreshMs) return state.built
    state.making ??= build(database, places, options, call)
      .then((made) => {
        state.built = made
        return made
      })
      .finally(() => {
        state.making = undefined
      })
    // An outdated index is used until the new one is ready.
    state.making.catch(() => {})
    return state.built ?? state.making
  }
  return tool(`${plan.prefix}search_${plan.address.name.replaceAll('-', '_')}`, {
    about: `Searches rows of the ${plan.address.name} database by words in ${options.columns.join(', ')}. Best matches first.`,
    effect: 'read',
    ...belongings(shared),
    input: {
      type: 'object',
      properties: {
        query: { type: 'string', minLength: 1, maxLength: 500, description: 'Words to look for, or a question' },
        most: { type: 'integer', minimum: 1, maximum: 50, default: 10, description: 'How many rows at most' },
      },
      required: ['query'],
      additionalProperties: false,
    },
    output: {
      type: 'object',
      properties: {
        rows: {
          type: 'array',
          items: {
            type: 'object',
            properties: {
              table: { type: 'string' },
              key: { type: 'object' },
              column: { type: 'string' },
              text: { type: 'string' },
              uri: { type: 'string', description: 'The resource that has the whole row' },
              score: { type: 'number' },
            },
            required: ['table', 'key', 'column', 'text', 'score'],
          },
        },
        note: { type: 'string' },
      },
      required: ['rows'],
    },
    run: (async ({ query, most = 10 }: { query: string; most?: number }, call: Call) => {
      const database = await call.use(shared)
      const built = await index(database, call)
      const { rows, note } = built
      const found = await search(database, built, places, options.embed, query, most, call)
      const said = [note, found.note].filter(Boolean).join(' ')
      return {
        rows: found.hits.flatMap(({ key: at, score }) => shownRow(rows[at], score)),
        ...(said === '' ? {} : { note: said }),
      }
    }) as () => never,
  })
}

const rowId = ({ name }: PlannedTable, column: string, key: Readonly<Record<string, unknown>>): string =>
  JSON.stringify([name, column, ...Object.values(key).map(String)])

/** Searches by words, by vectors outside the database, and by vectors in the database. */
async function search(
  database: SqlDatabase,
  { finder, numbers }: Built,
  places: readonly SearchPlace[],
  embed: Embed | undefined,
  query: string,
  most: number,
  call: Call,
): Promise<Found<number>> {
  const inDatabase = places.filter(({ vectors }) => vectors !== undefined)
  if (!embed || inDatabase.length === 0) return finder.find(query, most, call.signal)
  const found = await finder.find(query, depth, call.signal)
  try {
    const { nearestRows } = await import('./nearest-rows.js')
    const [vector = []] = await embed([query], call.signal)
    const rankings = await Promise.all(
      inDatabase.map(async ({ table, column, vectors }) => {
        const near = await nearestRows(database, vectors as VectorColumn, vector, depth, call)
        return near.flatMap((key) => {
          const number = numbers.get(rowId(table, column, key))
          return number === undefined ? [] : [{ key: number, score: 0 }]
        })
      }),
    )
    return { ...found, hits: fused([found.hits, ...rankings]).slice(0, most) }
  } catch (error) {
    call.signal.throwIfAborted()
    return { hits: found.hits.slice(0, most), note: byWordsOnly(messageOf(error)) }
  }
}

function shownRow(row: Row | undefined, score: number): object[] {
  if (!row) return []
  const { table, column, key, text } = row
  const uri = table.isByKey ? { uri: rowUri(table.uri, table.key, key) } : {}
  const cut = text.length > mostShown ? `${text.slice(0, mostShown)}…` : text
  return [{ table: table.name, key, column, text: cut, ...uri, score: Math.round(score * 1000) / 1000 }]
}

interface SearchPlace {
  readonly table: PlannedTable
  readonly column: string
  /** Its vectors in the database. */
  readonly vectors: VectorColumn | undefined
}

function placeOf({ tables }: SqlPlan, text: string, { embed, vectorColumns = {} }: SqlSearchOptions): SearchPlace {
  const at = text.lastIndexOf('.')
  const table = tables.find(({ name }) => name === text.slice(0, at))
  const column = text.slice(at + 1)
  if (table?.columns.some(({ name }) => name === column)) {
    const named = vectorColumns[text]
    const vectors = embed && table.key.length > 0 ? vectorColumnOf(table, column, named) : undefined
    const known = table.columns.filter(isVectorColumn).map(({ name }) => name)
    if (embed && named !== undefined && !vectors) throw sqlErrors.columnMissing(named, known)
    return { table, column, vectors }
  }
  const known = tables.flatMap(({ name, columns }) => columns.map((one) => `${name}.${one.name}`))
  throw sqlErrors.columnMissing(text, closestTo(text, known))
}

async function build(
  database: SqlDatabase,
  places: readonly SearchPlace[],
  options: SqlSearchOptions,
  call: Call,
): Promise<Built> {
  const { kyselyOver } = await import('./through-kysely.js')
  const builder = kyselyOver(database.driver, database.limits.timeoutMs)
  const finder = new Finder<number>(options)
  const rows: Row[] = []
  const full: string[] = []
  const numbers = new Map<string, number>()
  for (const { table, column, vectors } of places) {
    const from = table.schema === undefined ? table.bareName : `${table.schema}.${table.bareName}`
    const found = await call.upstream('sql', `index ${table.name}.${column}`, () =>
      builder
        .selectFrom(from)
        .select([...new Set([...table.key, column])])
        .where(column, 'is not', null)
        .limit(mostRows)
        .execute(),
    )
    if (found.length === mostRows) full.push(`${table.name}.${column}`)
    for (const row of found) {
      const key = Object.fromEntries(table.key.map((name) => [name, row[name]]))
      rows.push({ table, column, key, text: String(row[column]) })
      numbers.set(rowId(table, column, key), rows.length - 1)
      finder.add({ key: rows.length - 1, text: String(row[column]), title: '' }, vectors !== undefined)
    }
  }
  // Other calls wait for it too, so it is not cancelled with this one.
  await finder.complete(new AbortController().signal)
  const note = `The search covers the first ${mostRows} rows of ${full.join(', ')} only.`
  return { finder, rows, numbers, at: Date.now(), ...(full.length > 0 ? { note } : {}) }
}
