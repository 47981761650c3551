import { kitErrors } from '../kit/errors.js'
import { resolvedIn } from '../kit/schema.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { fileArgument } from './argument-files.js'
import { targetErrors } from './errors.js'

/**
 * Parses `name=value` words by a tool's schema: numbers, booleans and JSON if the schema expects them, otherwise text.
 * A repeated name creates a list, `hive.code=ML-04` sets a property of an object, and `@file` inserts the content of a
 * file. `json` is an object that the words are added to.
 */
export function readArguments(
  tool: string,
  schema: JsonObject,
  words: readonly string[],
  json?: string,
): JsonObject {
  const args: JsonObject = json === undefined ? {} : readJson(json)
  const given = new Set<string>()
  for (const word of words) {
    const at = word.indexOf('=')
    if (at < 1)
      throw kitErrors.argumentUnreadable(JSON.stringify(word), 'arguments as name=value, or --args with JSON')
    const name = word.slice(0, at)
    const place = placeOf(schema, name)
    if (!place) throw targetErrors.argumentUnknown(name, tool, Object.keys(propertiesOf(schema)))
    const value = readValue(place.property, word.slice(at + 1), given.has(name))
    put(args, place.path, (before) => (given.has(name) ? [before, value].flat() : value))
    given.add(name)
  }
  return args
}

/** Path of a name: a property, or with dots a nested one. Undefined if there is no such property. */
function placeOf(schema: JsonObject, name: string): { path: string[]; property: JsonObject } | undefined {
  const properties = propertiesOf(schema)
  const isOpen =
    schema.additionalProperties !== false &&
    (schema.additionalProperties !== undefined || !('properties' in schema))
  if (Object.hasOwn(properties, name)) return { path: [name], property: properties[name] as JsonObject }
  const path = name.split('.')
  let at: JsonObject | undefined = schema
  for (const [step, key] of path.entries()) {
    const inner: JsonObject | undefined = at && propertyOf(schema, at, key)
    if (!inner && (step > 0 || !isOpen)) return isOpen && step > 0 ? { path: [name], property: {} } : undefined
    at = inner
  }
  return at ? { path, property: at } : { path: [name], property: {} }
}

/** A property of an object schema, or of a branch of a union that has it; an open object accepts any. */
function propertyOf(root: JsonObject, given: JsonObject, key: string): JsonObject | undefined {
  const schema = resolvedIn(root, given)
  const own = propertiesOf(schema)
  if (Object.hasOwn(own, key)) return resolvedIn(root, own[key] as JsonObject)
  for (const branch of [schema.anyOf, schema.oneOf].flatMap((list) =>
    Array.isArray(list) ? list.filter(isObject) : [],
  )) {
    const found = propertyOf(root, branch, key)
    if (found) return found
  }
  const { additionalProperties: others } = schema
  const isOpenObject =
    schema.type === 'object' && others !== false && (others !== undefined || !('properties' in schema))
  return isOpenObject ? (isObject(others) ? others : {}) : undefined
}

const propertiesOf = (schema: JsonObject): Readonly<Record<string, unknown>> =>
  isObject(schema.properties) ? schema.properties : {}

function put(args: JsonObject, path: readonly string[], change: (before: unknown) => unknown): void {
  const [key = '', ...rest] = path
  const before = Object.hasOwn(args, key) ? args[key] : undefined
  if (rest.length > 0) {
    const inner: JsonObject = isObject(before) ? before : {}
    put(inner, rest, change)
    setOwn(args, key, inner)
  } else setOwn(args, key, change(before))
}

/** A key such as `__proto__` is treated as any other key. */
const setOwn = (object: JsonObject, key: string, value: unknown) =>
  Object.defineProperty(object, key, { value, enumerable: true, configurable: true, writable: true })

function readJson(text: string): JsonObject {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch (error) {
    throw kitErrors.argumentUnreadable('--args', `a JSON object (${(error as Error).message})`)
  }
  if (!isObject(value)) throw kitErrors.argumentUnreadable('--args', 'a JSON object')
  return value
}

/** Parses one value by the schema of a property. */
export function readValue(schema: JsonObject, typed: string, isRepeated: boolean): unknown {
  const file = fileArgument(schema, typed)
  if (file && 'value' in file) return file.value
  const text = file?.text ?? typed
  const types = typesOf(schema)
  if (types.has('array')) return readList(schema, text, isRepeated)
  if (types.has('string') && types.size === 1) return text
  const value = jsonOr(text)
  const type = value === null ? 'null' : Array.isArray(value) ? 'array' : typeof value
  const isWanted = types.size === 0 || types.has(type) || (type === 'number' && types.has('integer'))
  return isWanted ? value : text
}

function readList(schema: JsonObject, text: string, isRepeated: boolean): unknown {
  const value = text.startsWith('[') ? jsonOr(text) : undefined
  if (Array.isArray(value)) return value
  const item = readValue(isObject(schema.items) ? schema.items : {}, text, false)
  return isRepeated ? item : [item]
}

function typesOf(schema: JsonObject): Set<string> {
  const branches = [schema.anyOf, schema.oneOf].flatMap((list) =>
    Array.isArray(list) ? list.filter(isObject) : [],
  )
  const own =
    typeof schema.type === 'string' ? [schema.type] : Array.isArray(schema.type) ? (schema.type as string[]) : []
  const values = Array.isArray(schema.enum) ? schema.enum : 'const' in schema ? [schema.const] : []
  return new Set([
    ...own,
    ...(own.length === 0 ? values.map((value) => (value === null ? 'null' : typeof value)) : []),
    ...branches.flatMap((branch) => [...typesOf(branch)]),
  ])
}

function jsonOr(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return text
  }
}
