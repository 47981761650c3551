import type { ClientBase } from 'pg'
import type { JsonSchema } from '../../kit/schema.js'
import { postgresArrays, postgresSchemas } from './column-types.js'
import { exactDecimal, exactInteger } from './driver.js'
import { parseExactly } from './exact-json.js'

/** A type that the database's owner created, by its object identifier. */
interface OwnType {
  readonly kind: 'enum' | 'domain' | 'array'
  /** Type of the items of a list, or base type of a domain. */
  readonly of: number
  readonly labels: readonly string[]
}

/** Types that can be parsed from the text form of an array. */
export type ArrayReader = (text: string, item: (text: string) => unknown) => unknown[]

/** JSON schemas of a database's types: built-in types, enums, domains and arrays. */
export class PostgresTypes {
  readonly #own = new Map<number, OwnType>()
  readonly #readArray: ArrayReader

  constructor(readArray: ArrayReader) {
    this.#readArray = readArray
  }

  /** Queries the types that were created in the database. */
  async load(client: ClientBase): Promise<void> {
    const { rows } = await client.query<{ oid: string; kind: string; of: string; labels: string[] | null }>(`
      select t.oid::text as oid, case when t.typelem <> 0 then 'array' when t.typtype = 'd' then 'domain' else 'enum' end as kind,
        (case when t.typelem <> 0 then t.typelem else t.typbasetype end)::text as of,
        (select array_agg(e.enumlabel::text order by e.enumsortorder) from pg_enum e where e.enumtypid = t.oid) as labels
      from pg_type t where t.oid >= 16384 and (t.typtype in ('e', 'd') or (t.typelem <> 0 and t.typlen = -1)) limit 10000`)
    this.#own.clear()
    for (const { oid, kind, of, labels } of rows)
      this.#own.set(Number(oid), { kind: kind as OwnType['kind'], of: Number(of), labels: labels ?? [] })
  }

  /** The schema of a type; undefined for an unknown one. */
  schemaOf(oid: number): JsonSchema | undefined {
    const own = this.#own.get(oid)
    if (own?.kind === 'enum') return { type: 'string', enum: own.labels }
    if (own?.kind === 'domain') return this.schemaOf(own.of)
    const element = own?.of ?? postgresArrays[oid]
    if (element !== undefined) return listOf(this.schemaOf(element) ?? {})
    return postgresSchemas[oid]
  }

  /** A value from the database, as JSON. */
  valueOf(oid: number, text: string): unknown {
    const own = this.#own.get(oid)
    const element = own?.kind === 'array' ? own.of : postgresArrays[oid]
    if (element !== undefined) return this.#readArray(text, (item) => this.valueOf(element, item))
    return columnValue(own?.kind === 'domain' ? own.of : oid, text)
  }
}

/** A list may contain nulls. */
export const listOf = (items: JsonSchema): JsonSchema => ({
  type: 'array',
  ...(Object.keys(items).length === 0 ? {} : { items: { anyOf: [items, { type: 'null' }] } }),
})

function columnValue(oid: number, text: string): unknown {
  if (oid === 16) return text === 't'
  if (oid === 20) return exactInteger(text)
  if (oid === 21 || oid === 23 || oid === 26) return Number(text)
  if (oid === 700 || oid === 701 || oid === 1700) return exactDecimal(text)
  if (oid === 17) return Buffer.from(text.replace(/^\\x/, ''), 'hex').toString('base64')
  if (oid === 114 || oid === 3802) return parseExactly(text)
  if (oid === 1114) return text.replace(' ', 'T')
  return oid === 1184 ? utcTime(text) : text
}

/** A time with a zone in UTC, with the column's fraction of seconds. */
function utcTime(text: string): string {
  const [, day, clock, fraction = '', zone] =
    /^(\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d)(\.\d+)?([+-]\d\d(?::?\d\d)?)$/.exec(text) ?? []
  if (day === undefined || zone === undefined) return text
  const at = new Date(`${day}T${clock}${zone.length === 3 ? `${zone}:00` : zone}`)
  return Number.isNaN(at.getTime()) ? text : `${at.toISOString().slice(0, 19)}${fraction}Z`
}
