import { kitErrors } from '../kit/errors.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { targetErrors } from './errors.js'

/**
 * Reads `name=value` words by a tool's schema: numbers, booleans and JSON where the schema asks for them, text
 * elsewhere. A name given twice makes a list. `json` is a whole object that the words are laid over.
 */
export function readArguments(
  tool: string,
  schema: JsonObject,
  words: readonly string[],
  json?: string,
): JsonObject {
  const args: JsonObject = json === undefined ? {} : readJson(json)
  const properties = isObject(schema.properties) ? schema.properties : {}
  const isOpen =
    schema.additionalProperties !== false &&
    (schema.additionalProperties !== undefined || !('properties' in schema))
  const given = new Set<string>()
  for (const word of words) {
    const at = word.indexOf('=')
    if (at < 1)
      throw kitErrors.argumentUnreadable(JSON.stringify(word), 'arguments as name=value, or --args with JSON')
    const name = word.slice(0, at)
    const property = properties[name]
    if (property === undefined && !isOpen) throw targetErrors.argumentUnknown(name, tool, Object.keys(properties))
    const value = readValue(isObject(property) ? property : {}, word.slice(at + 1), given.has(name))
    args[name] = given.has(name) ? [args[name], value].flat() : value
    given.add(name)
  }
  return args
}

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

/** Reads one value as text is read for a property of a schema. */
export function readValue(schema: JsonObject, text: string, isRepeated: boolean): unknown {
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
