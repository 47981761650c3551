import type { RJSFSchema, UiSchema } from '@rjsf/utils'
import { withoutSlowPatterns } from '../../../src/kit/pattern.js'

type Schema = Record<string, unknown>
const isSchema = (value: unknown): value is Schema =>
  typeof value === 'object' && value !== null && !Array.isArray(value)

/** Keywords whose value is a map of schemas, a list of schemas, or a schema. */
const maps = ['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas']
const lists = ['anyOf', 'oneOf', 'allOf']
const singles = [
  'items',
  'additionalProperties',
  'not',
  'if',
  'then',
  'else',
  'contains',
  'propertyNames',
  'additionalItems',
]

/**
 * A 2020-12 schema in the notation of the form library: tuples by `items`, titled choices by `oneOf`, and an empty
 * schema for any value. Values are checked against the original schema.
 */
export function formSchemaOf(schema: Schema): RJSFSchema {
  return adapt(withoutRootExamples(withoutSlowPatterns(schema)), 0) as RJSFSchema
}

function withoutRootExamples({ examples: _, $schema: __, ...rest }: Schema): Schema {
  return rest
}

function adapt(given: unknown, depth: number): unknown {
  // The form omits schemas that say nothing.
  if (given === true || (isSchema(given) && Object.keys(given).length === 0))
    return { description: 'Anything, as JSON' }
  if (!isSchema(given) || depth > 60) return given
  const schema: Schema = { ...given }
  for (const key of maps) {
    const map = schema[key]
    if (isSchema(map))
      schema[key] = Object.fromEntries(Object.entries(map).map(([name, item]) => [name, adapt(item, depth + 1)]))
  }
  for (const key of lists) {
    const list = schema[key]
    if (Array.isArray(list)) schema[key] = list.map((item) => asBranch(adapt(item, depth + 1)))
  }
  for (const key of singles) {
    const item = schema[key]
    if (isSchema(item) || (item === true && key === 'items')) schema[key] = adapt(item, depth + 1)
  }
  if (Array.isArray(schema.prefixItems)) {
    const { prefixItems, items, ...rest } = schema
    const tuple = prefixItems.map((item) => adapt(item, depth + 1))
    return { ...rest, items: tuple, ...(items === undefined ? {} : { additionalItems: items }) }
  }
  return withType(withTitledChoices(schema))
}

/**
 * A branch of a union is named by the constants that distinguish it, else by its fields. Choosing it sets the
 * constants.
 */
function asBranch(branch: unknown): unknown {
  if (!isSchema(branch) || !isSchema(branch.properties)) return branch
  const properties = Object.entries(branch.properties)
  const constants = properties.flatMap(([, item]) => (isConstant(item) ? [String(item.const)] : []))
  const words = constants.length > 0 ? constants : properties.slice(0, 3).map(([name]) => name)
  return {
    ...(words.length > 0 ? { title: words.join(', ') } : {}),
    ...branch,
    properties: Object.fromEntries(
      properties.map(([name, item]) => [name, isConstant(item) ? chosen(item) : item]),
    ),
  }
}
/** A list with one value, which the form fills in; it does not fill in constants. */
const chosen = ({ const: value, ...rest }: Schema): Schema => ({ ...rest, enum: [value], default: value })
const isConstant = (item: unknown): item is Schema => isSchema(item) && 'const' in item

/** Revision R3 gives titles to choices by `enumNames`. */
function withTitledChoices(schema: Schema): Schema {
  const { enum: values, enumNames: titles, ...rest } = schema
  if (!Array.isArray(values) || !Array.isArray(titles)) return schema
  return { ...rest, oneOf: values.map((value, at) => ({ const: value, title: String(titles[at] ?? value) })) }
}

/** The form needs a type, even if the values imply it. */
function withType(schema: Schema): Schema {
  if (schema.type !== undefined) return schema
  const branches = schema.oneOf ?? schema.anyOf
  const constants = Array.isArray(branches) && branches.every((branch) => isSchema(branch) && 'const' in branch)
  const values = Array.isArray(schema.enum)
    ? schema.enum
    : constants
      ? (branches as Schema[]).map((branch) => branch.const)
      : 'const' in schema
        ? [schema.const]
        : []
  const types = new Set(values.map((value) => (value === null ? 'null' : typeof value)))
  if (types.size === 1) return { ...schema, type: [...types][0] }
  return isSchema(schema.properties) ? { ...schema, type: 'object' } : schema
}

/** True if a schema does not constrain its value, so that only a JSON field fits. */
const isAnything = (schema: Schema): boolean =>
  !['type', 'enum', 'const', '$ref', 'oneOf', 'anyOf', 'allOf', 'if', 'properties', 'items'].some(
    (key) => key in schema,
  )

/** The theme shows no descriptions for choices and dates, so they become help texts. */
export function looksOf(schema: RJSFSchema): UiSchema {
  const looks: UiSchema = { 'ui:submitButtonOptions': { norender: true } }
  for (const [name, property] of Object.entries(schema.properties ?? {})) {
    if (typeof property !== 'object' || property.description === undefined) continue
    if (property.enum || property.oneOf || property.format === 'date')
      looks[name] = { 'ui:help': property.description }
  }
  return { ...looks, ...anythingIn(schema as Schema, 0) }
}

/** Values without a schema are entered as JSON, at any depth. */
function anythingIn(schema: Schema, depth: number): UiSchema {
  const looks: UiSchema = {}
  if (depth > 12) return looks
  const look = (item: unknown): UiSchema | undefined => {
    if (!isSchema(item)) return undefined
    if (isAnything(item)) return { 'ui:field': 'AnyJson' }
    const inner = anythingIn(item, depth + 1)
    return Object.keys(inner).length > 0 ? inner : undefined
  }
  for (const [name, property] of Object.entries(isSchema(schema.properties) ? schema.properties : {})) {
    const found = look(property)
    if (found) looks[name] = found
  }
  const items = look(schema.items)
  if (items) looks.items = items
  const more = look(schema.additionalProperties)
  if (more) looks.additionalProperties = more
  return looks
}

/** A value that fits most schemas: examples and defaults first, else the minimum that is required. */
export function sampleOf(schema: unknown, root: Schema = isSchema(schema) ? schema : {}, depth = 0): unknown {
  if (!isSchema(schema) || depth > 8) return undefined
  const [example] = Array.isArray(schema.examples) ? schema.examples : []
  if (example !== undefined && depth > 0) return example
  if (schema.default !== undefined) return schema.default
  if ('const' in schema) return schema.const
  if (Array.isArray(schema.enum)) return schema.enum[0]
  if (typeof schema.$ref === 'string') return sampleOf(referred(root, schema.$ref), root, depth + 1)
  for (const key of lists) {
    const [first] = Array.isArray(schema[key]) ? (schema[key] as unknown[]) : []
    if (first !== undefined && key !== 'allOf')
      return sampleOf({ ...schema, [key]: undefined, ...(first as Schema) }, root, depth + 1)
  }
  return sampleOfType(schema, root, depth)
}

function sampleOfType(schema: Schema, root: Schema, depth: number): unknown {
  const type = Array.isArray(schema.type) ? schema.type.find((item) => item !== 'null') : schema.type
  switch (type) {
    case 'string':
      return sampleText(schema)
    case 'integer':
    case 'number':
      return typeof schema.minimum === 'number'
        ? schema.minimum
        : typeof schema.exclusiveMinimum === 'number'
          ? schema.exclusiveMinimum + 1
          : 1
    case 'boolean':
      return false
    case 'null':
      return null
    case 'array': {
      const tuple = Array.isArray(schema.prefixItems) ? schema.prefixItems : []
      if (tuple.length > 0) return tuple.map((item) => sampleOf(item, root, depth + 1))
      const least = typeof schema.minItems === 'number' ? schema.minItems : 0
      return Array.from({ length: Math.min(least, 10) }, () => sampleOf(schema.items, root, depth + 1))
    }
    default: {
      if (!isSchema(schema.properties)) return type === 'object' ? {} : undefined
      const required = new Set(Array.isArray(schema.required) ? schema.required : [])
      const entries = Object.entries(schema.properties).filter(
        ([name, item]) => required.has(name) || hasOwnSample(item),
      )
      return Object.fromEntries(entries.map(([name, item]) => [name, sampleOf(item, root, depth + 1)]))
    }
  }
}

const hasOwnSample = (item: unknown) =>
  isSchema(item) && (Array.isArray(item.examples) || item.default !== undefined)

const textsByFormat: Readonly<Record<string, string>> = {
  date: '2026-06-01',
  'date-time': '2026-06-01T06:00:00Z',
  time: '06:00:00Z',
  email: 'someone@example.org',
  uri: 'https://example.org/',
  uuid: '00000000-0000-4000-8000-000000000000',
  ipv4: '192.0.2.1',
  hostname: 'example.org',
}

function sampleText({ format, minLength }: Schema): string {
  const text = textsByFormat[String(format)] ?? 'text'
  return typeof minLength === 'number' ? text.padEnd(minLength, 'x') : text
}

function referred(root: Schema, ref: string): unknown {
  return ref
    .replace(/^#\/?/, '')
    .split('/')
    .filter(Boolean)
    .reduce<unknown>(
      (at, key) =>
        isSchema(at) ? at[decodeURIComponent(key).replaceAll('~1', '/').replaceAll('~0', '~')] : undefined,
      root,
    )
}
