import type { StandardJSONSchemaV1, StandardSchemaV1 } from '@standard-schema/spec'
import { messageOf } from '../errors.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import { branded, brands, hasBrand, nameOf } from './brand.js'
import { kitErrors } from './errors.js'
import type { ObjectOf } from './json-schema-type.js'

/** A plain JSON Schema (2020-12) object. */
export type JsonSchema = { readonly [keyword: string]: unknown }
/** A schema: of a Standard Schema library such as zod, or plain JSON Schema. */
export type Schema = StandardSchemaV1<unknown, unknown> | JsonSchema

/** The `output` of a tool that returns nothing. */
export const noOutput = branded({}, brands.noOutput) as NoOutput
/** Identified by a mark that no schema has. */
export interface NoOutput {
  readonly [mark]: true
}
declare const mark: unique symbol
export const isNoOutput = (value: unknown): value is NoOutput => hasBrand(value, brands.noOutput)

/** Type of the input that a tool's function receives: the library's output type, or the type of a JSON Schema literal. */
export type Given<S> =
  S extends StandardSchemaV1<infer _In, infer Out>
    ? Out
    : S extends undefined
      ? Record<string, never>
      : ObjectOf<S, 'given'>
/** Type of the result that a tool's function returns: the library's input type, or the type of a JSON Schema literal. */
export type Returned<S> =
  S extends StandardSchemaV1<infer In, infer _Out>
    ? In
    : S extends NoOutput
      ? undefined | void
      : S extends undefined
        ? unknown
        : ObjectOf<S, 'returned'>

export function isStandardSchema(value: unknown): value is StandardSchemaV1<unknown, unknown> {
  return (
    (typeof value === 'object' || typeof value === 'function') &&
    value !== null &&
    isObject((value as JsonObject)['~standard']) &&
    typeof ((value as JsonObject)['~standard'] as JsonObject).validate === 'function'
  )
}

/** The input schema of a tool without arguments. */
export const emptyInput: JsonSchema = Object.freeze({ type: 'object', additionalProperties: false })

/** The JSON Schema that is published for a part's input or output. Throws a `JexoError` that names the part. */
export function jsonSchemaOf(part: string, field: 'input' | 'output', schema: Schema | undefined): JsonSchema {
  if (schema === undefined) return emptyInput
  if (isStandardSchema(schema)) return objectSchema(part, field, convert(part, field, schema))
  if (!isObject(schema)) throw kitErrors.schemaNotObject(part, field, nameOf(schema))
  return objectSchema(part, field, schema)
}

function convert(part: string, field: 'input' | 'output', schema: StandardSchemaV1<unknown, unknown>): JsonObject {
  const standard = schema['~standard'] as StandardSchemaV1<unknown, unknown>['~standard'] &
    Partial<StandardJSONSchemaV1['~standard']>
  if (!standard.jsonSchema) throw kitErrors.schemaWithoutJson(part, field, standard.vendor)
  try {
    return standard.jsonSchema[field]({ target: 'draft-2020-12' }) as JsonObject
  } catch (error) {
    throw kitErrors.schemaUnreadable(part, field, messageOf(error))
  }
}

function objectSchema(part: string, field: 'input' | 'output', schema: JsonObject): JsonSchema {
  const { $schema, ...rest } = schema
  const isDefaultDialect = $schema === undefined || $schema === 'https://json-schema.org/draft/2020-12/schema'
  const kept = isDefaultDialect ? rest : { $schema, ...rest }
  if (rest.type === 'object') return Object.freeze(kept)
  // A union of objects has a type only in its members; the standard requires it at the root too.
  const branches = [rest.anyOf, rest.oneOf, rest.allOf].find((list) => Array.isArray(list)) as
    | JsonObject[]
    | undefined
  if (rest.type === undefined && branches?.every((branch) => branch.type === 'object')) {
    return Object.freeze({ type: 'object', ...kept })
  }
  if (rest.type === undefined && Object.keys(rest).length === 0) return Object.freeze({ type: 'object', ...kept })
  if (rest.type === undefined && (isObject(rest.properties) || typeof rest.$ref === 'string')) {
    return Object.freeze({ type: 'object', ...kept })
  }
  const given = typeof rest.type === 'string' ? `of type ${JSON.stringify(rest.type)}` : 'of several types'
  throw kitErrors.schemaNotObject(part, field, given)
}

/** The schema at a path inside another, following properties and items only; undefined if it is not that simple. */
export function schemaAt(schema: JsonSchema, path: readonly (string | number)[]): JsonSchema | undefined {
  let at: unknown = schema
  for (const key of path) {
    if (isObject(at)) at = resolvedIn(schema, at)
    if (!isObject(at)) return undefined
    if (typeof key === 'number' || Array.isArray(at.prefixItems)) {
      at = Array.isArray(at.prefixItems) ? (at.prefixItems[Number(key)] ?? at.items) : at.items
    } else {
      at =
        isObject(at.properties) && Object.hasOwn(at.properties, key) ? at.properties[key] : at.additionalProperties
    }
  }
  return isObject(at) ? resolvedIn(schema, at) : undefined
}

/** The schema, with a reference resolved in the definitions of `root`. */
export function resolvedIn(root: JsonSchema, schema: JsonSchema, steps = 0): JsonSchema {
  const [, name] = /^#\/\$defs\/([^/]+)$/.exec(typeof schema.$ref === 'string' ? schema.$ref : '') ?? []
  const definitions = isObject(root.$defs) ? root.$defs : {}
  const found = name !== undefined && Object.hasOwn(definitions, name) ? definitions[name] : undefined
  return isObject(found) && steps < 8 ? resolvedIn(root, found, steps + 1) : schema
}

/** A short description of what a schema accepts, for error messages: `a string matching ^ML-\d\d$`. */
export function describeSchema(schema: JsonSchema): string {
  if ('const' in schema) return JSON.stringify(schema.const)
  if (Array.isArray(schema.enum))
    return `one of ${schema.enum
      .slice(0, 20)
      .map((value) => JSON.stringify(value))
      .join(', ')}`
  const union = schema.anyOf ?? schema.oneOf
  if (Array.isArray(union)) {
    const branches = [...new Set(union.map((branch) => describeSchema(branch as JsonSchema)))]
    const shown = branches.slice(0, 6).join(', or ')
    return branches.length > 6 ? `${shown}, or ${branches.length - 6} others` : shown
  }
  const type = Array.isArray(schema.type) ? schema.type.join(' or ') : String(schema.type ?? 'value')
  const article = /^[aeio]/.test(type) ? 'an' : 'a'
  // A format already implies its pattern, and the range of safe integers is of no interest.
  const shown = limitWords.filter(
    ([keyword]) =>
      schema[keyword] !== undefined &&
      !(keyword === 'pattern' && schema.format) &&
      Math.abs(Number(schema[keyword])) !== Number.MAX_SAFE_INTEGER,
  )
  const required = Array.isArray(schema.required) && type === 'object' ? (schema.required as string[]) : []
  const names =
    required.length > 0 ? ` with ${required.slice(0, 6).join(', ')}${required.length > 6 ? ' and more' : ''}` : ''
  return [`${article} ${type}${names}`, ...shown.map(([keyword, words]) => words(schema[keyword]))].join(', ')
}

const counted = (value: unknown, noun: string) => `${value} ${noun}${value === 1 ? '' : 's'}`

const limitWords: [string, (value: unknown) => string][] = [
  ['format', (value) => `format ${value}`],
  ['pattern', (value) => `matching ${value}`],
  ['minLength', (value) => `at least ${counted(value, 'character')}`],
  ['maxLength', (value) => `at most ${counted(value, 'character')}`],
  ['minimum', (value) => `at least ${value}`],
  ['exclusiveMinimum', (value) => `more than ${value}`],
  ['maximum', (value) => `at most ${value}`],
  ['exclusiveMaximum', (value) => `less than ${value}`],
  ['multipleOf', (value) => `a multiple of ${value}`],
  ['minItems', (value) => `at least ${counted(value, 'item')}`],
  ['maxItems', (value) => `at most ${counted(value, 'item')}`],
]
