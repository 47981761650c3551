import type { JsonSchema } from '../../kit/schema.js'
import { isObject } from '../../protocol/messages.js'

/** Schemas with fewer or more characters than these limits are left unchanged, as are smaller parts. */
const limits = { schema: 4000, largest: 1_000_000, part: 200, definitions: 60 }

/**
 * Moves repeated parts of a schema to definitions. `nameOf` gives the name of a
 * part, such as that of its type, by its JSON.
 */
export function withRepeatedDefined(schema: JsonSchema, nameOf: (json: string) => string | undefined): JsonSchema {
  const { length } = JSON.stringify(schema)
  if (length < limits.schema || length > limits.largest) return schema
  const { $defs: before = {}, ...bare } = schema
  let whole: { root: JsonSchema; defs: Record<string, unknown> } = { root: bare, defs: { ...(before as object) } }
  for (let round = 0; round < limits.definitions; round++) {
    const found = largestRepeated(whole)
    if (!found) break
    const name = freshName(nameOf(found.json) ?? found.hint, whole.defs)
    const defs = Object.fromEntries(
      Object.entries(whole.defs).map(([key, value]) => [key, replaced(value, found.json, name)]),
    )
    const definition = JSON.parse(found.json) as JsonSchema
    whole = { root: replaced(whole.root, found.json, name) as JsonSchema, defs: { ...defs, [name]: definition } }
  }
  return Object.keys(whole.defs).length === 0 ? whole.root : { ...whole.root, $defs: whole.defs }
}

function largestRepeated(whole: { root: JsonSchema; defs: Record<string, unknown> }) {
  const seen = new Map<string, { count: number; hint: string }>()
  for (const [part, hint] of [
    ...partsOf(whole.root, 'Type'),
    ...Object.values(whole.defs).flatMap((one) => partsOf(one, 'Type')),
  ]) {
    const json = keyOf(part)
    if (json === undefined) continue
    const known = seen.get(json)
    if (known) known.count++
    else seen.set(json, { count: 1, hint })
  }
  let best: { json: string; hint: string } | undefined
  for (const [json, { count, hint }] of seen)
    if (count > 1 && json.length > (best?.json.length ?? 0)) best = { json, hint }
  return best
}

/** Schemas below a schema, with the name of the property that leads to each. */
function partsOf(schema: unknown, hint: string): [JsonSchema, string][] {
  if (Array.isArray(schema)) return schema.flatMap((one) => [...own(one, hint), ...partsOf(one, hint)])
  if (!isObject(schema)) return []
  return Object.entries(schema).flatMap(([key, value]): [JsonSchema, string][] => {
    if (key === 'properties' && isObject(value))
      return Object.entries(value).flatMap(([name, inner]) => [...own(inner, name), ...partsOf(inner, name)])
    return holders.has(key) ? [...(Array.isArray(value) ? [] : own(value, hint)), ...partsOf(value, hint)] : []
  })
}

const holders = new Set(['items', 'prefixItems', 'anyOf', 'oneOf', 'allOf', 'additionalProperties'])
const own = (value: unknown, hint: string): [JsonSchema, string][] => (isObject(value) ? [[value, hint]] : [])

/** Key of a part: its JSON without descriptions. Undefined if it is too small, or nullable. */
function keyOf({ description: _, ...part }: JsonSchema): string | undefined {
  const branches = [part.anyOf, part.oneOf].find(Array.isArray) as JsonSchema[] | undefined
  if (part.$ref !== undefined || (part.type !== 'object' && !branches)) return undefined
  if (branches?.some(({ type }) => type === 'null')) return undefined
  const json = JSON.stringify(part)
  return json.length < limits.part ? undefined : json
}

function replaced(schema: unknown, json: string, name: string): unknown {
  if (Array.isArray(schema)) return schema.map((one) => replaced(one, json, name))
  if (!isObject(schema)) return schema
  if (keyOf(schema) === json) {
    const { description } = schema
    return { $ref: `#/$defs/${name}`, ...(description === undefined ? {} : { description }) }
  }
  return Object.fromEntries(
    Object.entries(schema).map(([key, value]) => {
      if (key === 'properties' && isObject(value))
        return [
          key,
          Object.fromEntries(Object.entries(value).map(([inner, one]) => [inner, replaced(one, json, name)])),
        ]
      return [key, holders.has(key) ? replaced(value, json, name) : value]
    }),
  )
}

function freshName(wanted: string, taken: Readonly<Record<string, unknown>>): string {
  const letters = wanted.replace(/\W/g, '')
  const base = /^[A-Za-z]/.test(letters) ? letters.charAt(0).toUpperCase() + letters.slice(1) : 'Type'
  for (let number = 1; ; number++) {
    const name = number === 1 ? base : `${base}${number}`
    if (!Object.hasOwn(taken, name)) return name
  }
}
