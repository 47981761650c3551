import { isObject, type JsonObject } from '../protocol/messages.js'
import type { Revision } from '../protocol/revisions.js'
import { kitErrors } from './errors.js'
import { type JsonSchema, jsonSchemaOf, type Schema } from './schema.js'

const stringKeywords = ['minLength', 'maxLength', 'pattern', 'default']
const numberKeywords = ['minimum', 'maximum', 'default']
const formats = new Set(['email', 'uri', 'date', 'date-time'])

/**
 * The schema of a form for a person, as elicitation allows it: a flat object of strings, numbers, booleans and choices
 * (Elicitation, "Requested Schema"). Throws a `JexoError` that names the field and what a form can hold.
 */
export function questionSchema(schema: Schema, label: string): JsonSchema {
  const json = jsonSchemaOf(label, 'input', schema)
  const properties = Object.entries(isObject(json.properties) ? json.properties : {})
  const fields = properties.map(([name, property]) => [name, fieldOf(label, name, property)] as const)
  const required = Array.isArray(json.required) ? json.required.filter((name) => !hasDefault(json, name)) : []
  return {
    type: 'object',
    properties: Object.fromEntries(fields),
    ...(required.length > 0 ? { required } : {}),
  }
}

const hasDefault = (json: JsonSchema, name: unknown) => {
  const property = isObject(json.properties) ? json.properties[String(name)] : undefined
  return isObject(property) && property.default !== undefined
}

function fieldOf(label: string, name: string, property: unknown): JsonObject {
  if (!isObject(property)) throw kitErrors.questionField(label, name)
  const words = taken(property, ['title', 'description'])
  const choices = choicesOf(property)
  if (choices) return { type: 'string', ...words, ...choices, ...taken(property, ['default']) }
  if (property.type === 'string') {
    const format = formats.has(String(property.format)) ? { format: property.format } : {}
    // If a format implies the pattern, the pattern is only an obstacle in a form.
    const pattern = 'format' in format ? stringKeywords.filter((keyword) => keyword !== 'pattern') : stringKeywords
    return { type: 'string', ...words, ...taken(property, pattern), ...format }
  }
  if (property.type === 'number' || property.type === 'integer') {
    return { type: property.type, ...words, ...taken(property, numberKeywords) }
  }
  if (property.type === 'boolean') return { type: 'boolean', ...words, ...taken(property, ['default']) }
  if (property.type === 'array' && isObject(property.items)) {
    const items = manyOf(property.items)
    if (items) return { type: 'array', ...words, ...taken(property, ['minItems', 'maxItems', 'default']), items }
  }
  throw kitErrors.questionField(label, name)
}

function choicesOf(property: JsonObject): JsonObject | undefined {
  if (Array.isArray(property.enum) && property.enum.every((value) => typeof value === 'string')) {
    return taken(property, ['enum', 'enumNames'])
  }
  if (typeof property.const === 'string') return { enum: [property.const] }
  const titled = titledOf(property.oneOf ?? property.anyOf)
  return titled ? { oneOf: titled } : undefined
}

function manyOf(items: JsonObject): JsonObject | undefined {
  if (Array.isArray(items.enum)) return { type: 'string', enum: items.enum }
  const titled = titledOf(items.anyOf ?? items.oneOf)
  return titled ? { anyOf: titled } : undefined
}

function titledOf(branches: unknown): JsonObject[] | undefined {
  if (!Array.isArray(branches) || !branches.every((branch) => isObject(branch) && typeof branch.const === 'string'))
    return undefined
  return branches.map((branch) => ({ const: branch.const, title: branch.title ?? branch.const }))
}

const taken = (from: JsonObject, keywords: readonly string[]): JsonObject =>
  Object.fromEntries(
    keywords.filter((keyword) => from[keyword] !== undefined).map((keyword) => [keyword, from[keyword]]),
  )

/** The same form for an older peer: titled choices as `enum` with `enumNames`, defaults for booleans only. */
export function questionFor(revision: Revision, schema: JsonSchema, label: string): JsonSchema {
  if (revision.elicitation === 'form and url') return schema
  const properties = Object.entries(schema.properties as Record<string, JsonObject>).map(([name, field]) => {
    if (field.type === 'array') throw kitErrors.questionMany(label, name, revision.date)
    const { oneOf, default: standard, ...rest } = field
    const titled = oneOf as { const: string; title: string }[] | undefined
    const choices = titled
      ? { enum: titled.map((one) => one.const), enumNames: titled.map((one) => one.title) }
      : {}
    return [
      name,
      { ...rest, ...choices, ...(field.type === 'boolean' && standard !== undefined ? { default: standard } : {}) },
    ]
  })
  return { ...schema, properties: Object.fromEntries(properties) }
}

/** Completes the response to a form with the defaults of omitted fields. */
export function withDefaults(schema: JsonSchema, content: JsonObject): JsonObject {
  const properties = isObject(schema.properties) ? schema.properties : {}
  const standard = Object.entries(properties).flatMap(([name, field]) =>
    isObject(field) && field.default !== undefined ? [[name, field.default] as const] : [],
  )
  return { ...Object.fromEntries(standard), ...content }
}
