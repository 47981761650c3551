import { interpretNow } from '../../kit/interpreting-validator.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Validate } from '../../kit/validation.js'
import { isObject } from '../../protocol/messages.js'

/**
 * Conversion of a value between JSON and the parameters and results of a function. Plain data, so that a plan can
 * contain it; null if both are the same.
 */
export type Conversion =
  | { readonly as: 'date' | 'url' | 'bigint' | 'bytes' | 'buffer' }
  | { readonly as: 'list' | 'set' | 'iterable'; readonly items: Conversion | null }
  | { readonly as: 'tuple'; readonly items: readonly (Conversion | null)[]; readonly rest: Conversion | null }
  | {
      readonly as: 'map'
      readonly key: Conversion | null
      readonly value: Conversion | null
      readonly isObject: boolean
    }
  | {
      readonly as: 'object'
      readonly properties: Readonly<Record<string, Conversion>>
      readonly others: Conversion | null
    }
  | { readonly as: 'union'; readonly branches: readonly { schema: JsonSchema; conversion: Conversion | null }[] }
  /** An instance of a class is converted to its public properties. */
  | {
      readonly as: 'instance'
      readonly names: readonly string[]
      readonly properties: Readonly<Record<string, Conversion>>
    }
  /** An object with a `toJSON` method. */
  | { readonly as: 'own'; readonly json: Conversion | null }
  | { readonly as: 'ref'; readonly name: string }

/** Recursive conversions by name, and the schemas of the same names. */
export interface Definitions {
  readonly conversions?: Readonly<Record<string, Conversion>>
  readonly schemas?: Readonly<Record<string, JsonSchema>>
}

/** Converts JSON that matches the schema to the argument of a function. */
export function fromJson(value: unknown, conversion: Conversion | null, definitions: Definitions = {}): unknown {
  if (conversion === null || value === undefined || value === null) return value
  const inner = (given: unknown, by: Conversion | null) => fromJson(given, by, definitions)
  switch (conversion.as) {
    case 'date':
      return new Date(String(value))
    case 'url':
      return new URL(String(value))
    case 'bigint':
      return BigInt(value as string | number)
    case 'bytes':
      return new Uint8Array(Buffer.from(String(value), 'base64'))
    case 'buffer':
      return Buffer.from(String(value), 'base64')
    case 'set':
      return new Set(listOf(value).map((item) => inner(item, conversion.items)))
    case 'map':
      return new Map(
        entriesIn(value).map(([key, item]) => [inner(key, conversion.key), inner(item, conversion.value)]),
      )
    case 'ref':
      return inner(value, definitions.conversions?.[conversion.name] ?? null)
    case 'union': {
      const fitting = conversion.branches.find(({ schema }) => fits(schema, value, definitions))
      return inner(value, fitting?.conversion ?? null)
    }
    default:
      return withinShape(value, conversion, inner)
  }
}

/** Arguments without missing ones at the end, so that a function with overloads sees the right number. */
export function withoutMissing(args: readonly unknown[]): unknown[] {
  return args.slice(0, args.findLastIndex((value) => value !== undefined) + 1)
}

/** Converts the result of a function to JSON. */
export function toJson(value: unknown, conversion: Conversion | null, definitions: Definitions = {}): unknown {
  if (conversion === null || value === undefined || value === null) return value
  const inner = (given: unknown, by: Conversion | null) => toJson(given, by, definitions)
  switch (conversion.as) {
    case 'date':
      return value instanceof Date ? value.toISOString() : value
    case 'url':
    case 'bigint':
      return String(value)
    case 'bytes':
    case 'buffer':
      return bytesOf(value)
    case 'own':
      return inner((value as { toJSON(): unknown }).toJSON(), conversion.json)
    case 'instance':
      return instanceToJson(value as Record<string, unknown>, conversion, inner)
    case 'set':
    case 'iterable':
      return [...(value as Iterable<unknown>)].map((item) => inner(item, conversion.items))
    case 'map': {
      const entries = [...(value as Map<unknown, unknown>)].map(
        ([key, item]) => [inner(key, conversion.key), inner(item, conversion.value)] as const,
      )
      return conversion.isObject ? Object.fromEntries(entries) : entries
    }
    case 'ref':
      return inner(value, definitions.conversions?.[conversion.name] ?? null)
    case 'union':
      return unionToJson(value, conversion.branches, inner, definitions)
    default:
      return withinShape(value, conversion, inner)
  }
}

function instanceToJson(
  value: Record<string, unknown>,
  { names, properties }: Extract<Conversion, { as: 'instance' }>,
  inner: Inner,
): unknown {
  const shown = names.map((name) => [name, inner(value[name], properties[name] ?? null)] as const)
  return Object.fromEntries(shown.filter(([, item]) => item !== undefined))
}

type Inner = (value: unknown, conversion: Conversion | null) => unknown

/** Lists, tuples and objects are converted the same way in both directions: element by element. */
function withinShape(value: unknown, conversion: Conversion, inner: Inner): unknown {
  if (conversion.as === 'list' || conversion.as === 'iterable') {
    return listOf(value).map((item) => inner(item, conversion.items))
  }
  if (conversion.as === 'tuple') {
    return listOf(value).map((item, at) =>
      inner(item, conversion.items[at] ?? (at < conversion.items.length ? null : conversion.rest)),
    )
  }
  if (conversion.as !== 'object' || !isObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, item]) => [
      key,
      inner(
        item,
        Object.hasOwn(conversion.properties, key) ? (conversion.properties[key] ?? null) : conversion.others,
      ),
    ]),
  )
}

/** Selects the branch whose schema the JSON matches; if the conversion fails, another branch is tried. */
function unionToJson(
  value: unknown,
  branches: readonly { schema: JsonSchema; conversion: Conversion | null }[],
  inner: Inner,
  definitions: Definitions,
): unknown {
  for (const { schema, conversion } of branches) {
    try {
      const converted = inner(value, conversion)
      if (isJson(converted) && fits(schema, converted, definitions)) return converted
    } catch {
      // A Date is not a Map: the next branch is tried.
    }
  }
  return value
}

function isJson(value: unknown): boolean {
  if (typeof value !== 'object' || value === null) return typeof value !== 'bigint'
  const prototype = Object.getPrototypeOf(value)
  return Array.isArray(value) || prototype === Object.prototype || prototype === null
}

const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? value : [])
const entriesIn = (value: unknown): [unknown, unknown][] =>
  Array.isArray(value) ? (value as [unknown, unknown][]) : Object.entries(value as object)

function bytesOf(value: unknown): unknown {
  if (value instanceof ArrayBuffer) return Buffer.from(value).toString('base64')
  if (!ArrayBuffer.isView(value)) return value
  return Buffer.from(value.buffer, value.byteOffset, value.byteLength).toString('base64')
}

const prepared = new WeakMap<JsonSchema, Validate>()

function fits(schema: JsonSchema, value: unknown, { schemas }: Definitions): boolean {
  let validate = prepared.get(schema)
  if (!validate) {
    validate = interpretNow(schemas ? { ...schema, $defs: schemas } : schema)
    prepared.set(schema, validate)
  }
  return validate(value).length === 0
}
