import { isObject, type JsonObject } from '../protocol/messages.js'
import type { JsonSchema } from './schema.js'

/** A constraint that was removed from a schema. */
export interface Loss {
  /** Path in the schema, such as `properties.hive`; empty for its root. */
  readonly path: string
  readonly what: string
}
export interface SimplifiedSchema {
  readonly schema: JsonSchema
  readonly losses: readonly Loss[]
}

/** The JSON Schema keywords that every chat endpoint supports. */
const maxDepth = 5
const maxEnum = 100
const maxDescription = 1024
const formats = new Set(['date', 'date-time', 'time', 'email', 'uri', 'uuid', 'ipv4', 'ipv6', 'hostname'])
const kept = [
  ...['title', 'default', 'minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'],
  ...['minLength', 'maxLength', 'minItems', 'maxItems', 'additionalProperties'],
]

/**
 * Simplifies a schema to what chat endpoints support: no references, no tuples, no unions at the root, one type per place, known formats, limited
 * depth and enums. The published schema stays complete. Returns the simplified schema and the removed constraints.
 */
export function simplifySchema(schema: JsonSchema): SimplifiedSchema {
  const losses: Loss[] = []
  const root = new Simplifier(schema, losses).at(schema, '', 0, [])
  const isWhole = root.type === 'object' && !('anyOf' in root)
  return { schema: isWhole ? root : merged([root], '', losses), losses }
}

class Simplifier {
  readonly #definitions: JsonObject
  readonly #losses: Loss[]

  constructor(root: JsonSchema, losses: Loss[]) {
    this.#definitions = isObject(root.$defs) ? root.$defs : isObject(root.definitions) ? root.definitions : {}
    this.#losses = losses
  }

  at(given: unknown, path: string, depth: number, within: readonly string[]): JsonSchema {
    if (!isObject(given)) return given === false ? this.#lose(path, 'that no value is allowed', {}) : {}
    if (typeof given.$ref === 'string') return this.#referred(given, path, depth, within)
    if (depth > maxDepth) return this.#lose(path, `levels deeper than ${maxDepth}`, shallow(given))
    const joined = Array.isArray(given.allOf) ? this.#joined(given, path) : given
    const branches = (joined.anyOf ?? joined.oneOf) as unknown
    if (Array.isArray(branches)) return this.#union(joined, branches, path, depth, within)
    if (Array.isArray(joined.type)) {
      const [first = 'string', ...more] = joined.type.filter((type) => type !== 'null')
      const what =
        more.length > 0
          ? `the further ${more.length === 1 ? 'type' : 'types'} ${more.join(' and ')}`
          : 'null as a value'
      return this.#lose(path, what, this.at({ ...joined, type: first }, path, depth, within))
    }
    return this.#plain(joined, path, depth, within)
  }

  #plain(given: JsonObject, path: string, depth: number, within: readonly string[]): JsonSchema {
    const schema: JsonObject = given.type === undefined ? {} : { type: given.type }
    for (const keyword of kept) if (given[keyword] !== undefined) schema[keyword] = given[keyword]
    this.#text(given, path, schema)
    this.#choices(given, path, schema)
    const { properties, items, prefixItems, additionalProperties } = given
    if (isObject(properties)) {
      schema.properties = Object.fromEntries(
        Object.entries(properties).map(([name, inner]) => [
          name,
          this.at(inner, joinPath(path, `properties.${name}`), depth + 1, within),
        ]),
      )
      if (given.required !== undefined) schema.required = given.required
    }
    if (isObject(additionalProperties)) {
      schema.additionalProperties = this.at(
        additionalProperties,
        joinPath(path, 'additionalProperties'),
        depth + 1,
        within,
      )
    }
    if (Array.isArray(prefixItems)) {
      this.#losses.push({ path, what: 'the type of each item of the tuple' })
      const each = [...prefixItems, ...(isObject(items) ? [items] : [])]
      schema.items = this.#union({}, each, joinPath(path, 'items'), depth + 1, within)
    } else if (items !== undefined) schema.items = this.at(items, joinPath(path, 'items'), depth + 1, within)
    for (const keyword of [
      'not',
      'if',
      'dependentSchemas',
      'patternProperties',
      'propertyNames',
      'contains',
      'uniqueItems',
    ]) {
      if (given[keyword] !== undefined) this.#losses.push({ path, what: `"${keyword}"` })
    }
    return schema
  }

  #text({ description, format, pattern }: JsonObject, path: string, schema: JsonObject): void {
    if (typeof description === 'string') {
      schema.description = description.slice(0, maxDescription)
      if (description.length > maxDescription)
        this.#losses.push({ path, what: `the description beyond ${maxDescription} characters` })
    }
    if (typeof format === 'string') {
      if (formats.has(format)) schema.format = format
      else this.#losses.push({ path, what: `the format ${format}` })
    }
    if (typeof pattern === 'string') {
      if (/\(\?<?[=!]/.test(pattern)) this.#losses.push({ path, what: 'a pattern with look-around' })
      else schema.pattern = pattern
    }
  }

  #choices(given: JsonObject, path: string, schema: JsonObject): void {
    if ('const' in given) schema.enum = [given.const]
    if (!Array.isArray(given.enum)) return
    schema.enum = given.enum.slice(0, maxEnum)
    if (given.enum.length > maxEnum)
      this.#losses.push({ path, what: `${given.enum.length - maxEnum} of its choices` })
  }

  #referred(given: JsonObject, path: string, depth: number, within: readonly string[]): JsonSchema {
    const name = /^#\/(?:\$defs|definitions)\/(.+)$/.exec(String(given.$ref))?.[1] ?? ''
    const target = this.#definitions[name]
    const { $ref: _, ...beside } = given
    if (!isObject(target)) return this.#lose(path, `the unresolved reference ${String(given.$ref)}`, beside)
    if (within.includes(name))
      return this.#lose(path, `the recursion of ${name}`, shallow({ ...target, ...beside }))
    return this.at({ ...target, ...beside }, path, depth, [...within, name])
  }

  #joined(given: JsonObject, path: string): JsonObject {
    const { allOf, ...rest } = given
    const parts = (allOf as unknown[]).map((part) => {
      const name = isObject(part)
        ? /^#\/(?:\$defs|definitions)\/(.+)$/.exec(String(part.$ref ?? ''))?.[1]
        : undefined
      return (name === undefined ? part : this.#definitions[name]) as JsonObject
    })
    const whole = [rest, ...parts].filter(isObject)
    this.#losses.push({ path, what: '"allOf", merged into one schema' })
    const properties = Object.assign({}, ...whole.map((part) => part.properties ?? {})) as JsonObject
    const required = [...new Set(whole.flatMap((part) => (part.required as string[] | undefined) ?? []))]
    return {
      ...Object.assign({}, ...whole),
      ...(Object.keys(properties).length > 0 ? { properties } : {}),
      ...(required.length > 0 ? { required } : {}),
    }
  }

  /**
   * Titled choices become an enum; unions of objects at the root become one object, since the root cannot be a union.
   */
  #union(
    given: JsonObject,
    all: readonly unknown[],
    path: string,
    depth: number,
    within: readonly string[],
  ): JsonSchema {
    const { anyOf: _any, oneOf: _one, ...beside } = given
    const branches = all.filter((branch) => !(isObject(branch) && branch.type === 'null'))
    if (branches.length < all.length) this.#losses.push({ path, what: 'null as a value' })
    const constants = branches.filter((branch) => isObject(branch) && 'const' in branch) as JsonObject[]
    if (constants.length === branches.length && constants.length > 0) {
      const values = constants.map((branch) => branch.const)
      const labels = constants.flatMap((branch) =>
        typeof branch.title === 'string' ? [`${branch.const}: ${branch.title}`] : [],
      )
      const said = [beside.description, ...(labels.length > 0 ? [labels.join(', ')] : [])].filter(Boolean).join(' ')
      return this.at(
        { type: typeof values[0], ...beside, enum: values, ...(said === '' ? {} : { description: said }) },
        path,
        depth,
        within,
      )
    }
    const simple = branches.map((branch) => this.at(branch, path, depth, within))
    const [only] = simple
    if (only && simple.length === 1) return { ...only, ...this.#plain(beside, path, depth, within) }
    if (path === '') return merged(simple, path, this.#losses)
    return { ...this.#plain(beside, path, depth, within), anyOf: unique(simple) }
  }

  #lose(path: string, what: string, schema: JsonSchema): JsonSchema {
    this.#losses.push({ path, what })
    return schema
  }
}

/** Merges object schemas: all properties of all of them; a property is required if all require it. */
function merged(branches: readonly JsonSchema[], path: string, losses: Loss[]): JsonSchema {
  losses.push({ path, what: 'the rules between properties' })
  const objects = branches.filter((branch) => isObject(branch.properties))
  const properties: Record<string, JsonSchema> = {}
  for (const { properties: found } of objects) {
    for (const [name, inner] of Object.entries(found as Record<string, JsonSchema>)) {
      const known = properties[name]
      properties[name] = known === undefined ? inner : either(known, inner)
    }
  }
  const required = Object.keys(properties).filter((name) =>
    objects.every((branch) => ((branch.required as string[] | undefined) ?? []).includes(name)),
  )
  return { type: 'object', properties, ...(required.length > 0 ? { required } : {}) }
}

function either(a: JsonSchema, b: JsonSchema): JsonSchema {
  if (Array.isArray(a.enum) && Array.isArray(b.enum)) return { ...a, enum: [...new Set([...a.enum, ...b.enum])] }
  const all = unique([...((a.anyOf as JsonSchema[] | undefined) ?? [a]), b])
  return all.length === 1 ? a : { anyOf: all }
}

const unique = (schemas: readonly JsonSchema[]): JsonSchema[] => [
  ...new Map(schemas.map((schema) => [JSON.stringify(schema), schema])).values(),
]
const joinPath = (path: string, step: string) => (path === '' ? step : `${path}.${step}`)
const shallow = ({ type = 'object', description }: JsonObject): JsonSchema => ({
  type: Array.isArray(type) ? type[0] : type,
  ...(typeof description === 'string' ? { description } : {}),
})
