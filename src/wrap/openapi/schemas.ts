import type { JsonSchema } from '../../kit/schema.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { withoutCircles } from './circular.js'
import type { Documents } from './documents.js'

/** Direction of data: read-only properties are left out of input, write-only ones out of output. */
export type Direction = 'in' | 'out'

const types = new Set(['string', 'number', 'integer', 'boolean', 'object', 'array', 'null'])
/** Common misspellings of types. */
const otherTypes: Readonly<Record<string, string>> = {
  int: 'integer',
  long: 'integer',
  float: 'number',
  double: 'number',
  decimal: 'number',
  bool: 'boolean',
  str: 'string',
  text: 'string',
  date: 'string',
  list: 'array',
  map: 'object',
  file: 'string',
}
/** Maximum number of nodes of one schema, and of all schemas of a description. */
const maxNodes = 50_000
const maxNodesInAll = 3_000_000

/** Beginning of the comment for a schema that has subtypes, which may have more properties. */
export const openKind = 'Has variants, distinguished by'

/**
 * Schemas of a description as JSON Schema 2020-12. Converts keywords of OpenAPI 2.0 and 3.0, and omits malformed ones,
 * so that every resulting schema is valid. Shared schemas become definitions, which may refer to each other.
 */
export class SchemaReader {
  readonly definitions: Record<string, JsonSchema> = {}
  readonly warnings = new Set<string>()
  readonly #documents: Documents
  readonly #direction: Direction
  /** For versions before 3.1, which do not use JSON Schema. */
  readonly isOlder: boolean
  readonly #names = new Map<string, string>()
  /** Where definitions come from. They are read one after the other, since a chain of references may be long. */
  readonly #sources = new Map<string, { value: unknown; url: string }>()
  readonly #unread: string[] = []
  #nodes = 0
  #nodesInAll = 0

  constructor(documents: Documents, direction: Direction, isOlder: boolean) {
    this.#documents = documents
    this.#direction = direction
    this.isOlder = isOlder
  }

  read(schema: unknown, url: string): JsonSchema {
    // Each schema has a size limit, since YAML aliases can turn a short text into a huge tree.
    this.#nodes = 0
    const made = this.#at(schema, url)
    // Reading a definition may add others to the list.
    for (const name of this.#unread) {
      const source = this.#sources.get(name)
      if (source) this.definitions[name] = this.#at(source.value, source.url)
    }
    const added = this.#unread.splice(0)
    const { changed, circular } = withoutCircles(this.definitions, added)
    Object.assign(this.definitions, changed)
    for (const name of circular)
      this.warnings.add(
        `the schema ${name} contains itself without a property or item in between; that reference is ignored`,
      )
    return made
  }

  /** Resolves a reference to a definition, to read the properties of a body or response. */
  unfolded(schema: JsonSchema): JsonSchema {
    let at = schema
    for (let steps = 0; steps < 20 && typeof at.$ref === 'string'; steps++) {
      const { $ref, ...beside } = at
      at = { ...(this.definitions[String($ref).replace('#/$defs/', '')] ?? {}), ...beside }
    }
    return at
  }

  #at(given: unknown, url: string): JsonSchema {
    if (given === true || !isObject(given)) return {}
    if (this.#nodes++ > maxNodes || this.#nodesInAll++ > maxNodesInAll) {
      this.warnings.add('a schema is too large; the rest of it accepts any value')
      return {}
    }
    if (typeof given.$ref === 'string') return this.#reference(given, url)
    const schema = this.#plain(given, url)
    if (this.isOlder && (given.nullable === true || given['x-nullable'] === true)) return nullable(schema)
    return schema
  }

  #reference(given: JsonObject, url: string): JsonSchema {
    const { $ref, ...siblings } = given
    const found = this.#documents.find(String($ref), url)
    if (!found || !isObject(found.value)) {
      this.warnings.add(`the reference ${$ref} cannot be resolved`)
      return {}
    }
    const key = `${found.url}#${found.pointer}`
    let name = this.#names.get(key)
    if (name === undefined) {
      name = this.#nameFor(found.pointer, found.url)
      this.#names.set(key, name)
      this.definitions[name] = {}
      this.#sources.set(name, found)
      this.#unread.push(name)
    }
    const reference = { $ref: `#/$defs/${name}` }
    // A reference may have a description of its own; newer versions allow any keywords next to it.
    const beside = this.isOlder ? pick(siblings, ['description']) : this.#plain(siblings, url)
    return Object.keys(beside).length > 0 ? { ...beside, ...reference } : reference
  }

  #nameFor(pointer: string, url: string): string {
    const last =
      pointer.split('/').at(-1) ||
      url
        .split('/')
        .at(-1)
        ?.replace(/\.\w+$/, '') ||
      'schema'
    const cleaned = last.replaceAll('~1', '_').replace(/[^A-Za-z0-9_.-]+/g, '_')
    const clean = cleaned === '__proto__' ? 'schema' : cleaned
    let name = clean
    for (let count = 2; name in this.definitions; count++) name = `${clean}_${count}`
    return name
  }

  #plain(given: JsonObject, url: string): JsonSchema {
    const out: JsonObject = {}
    const inner = (value: unknown) => this.#at(value, url)
    const list = (value: unknown) => (value as unknown[]).map(inner)
    const map = (value: unknown) =>
      Object.fromEntries(Object.entries(value as object).map(([key, item]) => [key, inner(item)]))
    const type = typesOf(given.type)
    if (type !== undefined) out.type = type
    for (const name of ['title', 'description', '$comment', 'contentEncoding', 'contentMediaType'])
      if (typeof given[name] === 'string') out[name] = given[name]
    if (typeof given.format === 'string' && given.format !== '') out.format = given.format
    if (typeof given.pattern === 'string' && isPattern(given.pattern)) out.pattern = given.pattern
    for (const name of ['maximum', 'minimum', 'exclusiveMaximum', 'exclusiveMinimum'])
      if (Number.isFinite(numberOf(given[name]))) out[name] = numberOf(given[name])
    if (Number(given.multipleOf) > 0) out.multipleOf = Number(given.multipleOf)
    for (const name of [
      'maxLength',
      'minLength',
      'maxItems',
      'minItems',
      'maxProperties',
      'minProperties',
      'minContains',
      'maxContains',
    ])
      if (Number.isInteger(numberOf(given[name])) && Number(given[name]) >= 0) out[name] = Number(given[name])
    for (const name of ['uniqueItems', 'deprecated']) if (given[name] === true) out[name] = true
    if (given.readOnly === true) out.readOnly = true
    if (given.writeOnly === true) out.writeOnly = true
    // The form of draft 4: a flag that makes the limit next to it exclusive.
    for (const [limit, flag] of [
      ['minimum', 'exclusiveMinimum'],
      ['maximum', 'exclusiveMaximum'],
    ] as const) {
      if (given[flag] === true && typeof out[limit] === 'number') {
        out[flag] = out[limit]
        delete out[limit]
      }
    }
    if (Array.isArray(given.enum) && given.enum.length > 0) out.enum = given.enum
    if ('const' in given) out.const = given.const
    if ('default' in given && given.default !== undefined) out.default = given.default
    const examples = Array.isArray(given.examples)
      ? given.examples
      : given.example === undefined
        ? []
        : [given.example]
    if (examples.length > 0) out.examples = examples
    if (Array.isArray(given.required)) {
      const required = [...new Set(given.required.filter((name): name is string => typeof name === 'string'))]
      if (required.length > 0) out.required = required
    }
    for (const name of ['properties', 'patternProperties', 'dependentSchemas'])
      if (isObject(given[name])) out[name] = map(given[name])
    if (isObject(out.patternProperties))
      for (const pattern of Object.keys(out.patternProperties))
        if (!isPattern(pattern)) delete out.patternProperties[pattern]
    if (Array.isArray(given.items)) out.prefixItems = list(given.items)
    else if (isObject(given.items)) out.items = inner(given.items)
    for (const name of ['prefixItems', 'allOf', 'anyOf', 'oneOf'])
      if (Array.isArray(given[name]) && (given[name] as unknown[]).length > 0) out[name] = list(given[name])
    for (const name of ['not', 'if', 'then', 'else', 'contains', 'propertyNames', 'unevaluatedItems'])
      if (isObject(given[name])) out[name] = inner(given[name])
    for (const name of ['additionalProperties', 'unevaluatedProperties']) {
      if (given[name] === false) out[name] = false
      else if (isObject(given[name])) out[name] = inner(given[name])
    }
    if (isObject(given.dependentRequired)) out.dependentRequired = given.dependentRequired
    this.#discriminate(given, out, url)
    return this.#directed(out)
  }

  /** Adds to each branch the value that selects it, if the description lists these values. */
  #discriminate(given: JsonObject, out: JsonObject, url: string): void {
    const { discriminator } = given
    const branches = Array.isArray(given.oneOf) ? 'oneOf' : Array.isArray(given.anyOf) ? 'anyOf' : undefined
    if (!isObject(discriminator) || typeof discriminator.propertyName !== 'string') return
    const { propertyName, mapping } = discriminator
    if (branches === undefined) out.$comment = `${openKind} ${propertyName}`
    if (branches === undefined || !isObject(mapping)) return
    const places = Object.entries(mapping).map(([value, target]) => {
      const text = String(target)
      const found = this.#documents.find(/[#/.]/.test(text) ? text : `#/components/schemas/${text}`, url)
      return { value, key: found && `${found.url}#${found.pointer}` }
    })
    out[branches] = (given[branches] as unknown[]).map((branch, at) => {
      const found =
        isObject(branch) && typeof branch.$ref === 'string' ? this.#documents.find(branch.$ref, url) : undefined
      const values = places
        .filter(({ key }) => found && key === `${found.url}#${found.pointer}`)
        .map(({ value }) => value)
      const made = (out[branches] as JsonSchema[])[at] as JsonSchema
      if (values.length === 0) return made
      const property = values.length === 1 ? { const: values[0] } : { enum: values }
      return { allOf: [made, { properties: { [propertyName]: property }, required: [propertyName] }] }
    })
  }

  /** Leaves out properties of the other direction. */
  #directed(schema: JsonObject): JsonSchema {
    const { readOnly: _read, writeOnly: _write, ...rest } = schema
    const mark = this.#direction === 'in' ? 'readOnly' : 'writeOnly'
    const kept: JsonObject = schema[mark] === true ? { ...rest, [mark]: true } : rest
    if (!isObject(kept.properties)) return kept
    const gone = Object.entries(kept.properties).filter(([, property]) =>
      this.#isMarked(property as JsonSchema, mark),
    )
    if (gone.length === 0) return kept
    const names = new Set(gone.map(([name]) => name))
    const properties = Object.fromEntries(Object.entries(kept.properties).filter(([name]) => !names.has(name)))
    const required = ((kept.required as string[] | undefined) ?? []).filter((name) => !names.has(name))
    const { required: _required, ...others } = kept
    return { ...others, properties, ...(required.length > 0 ? { required } : {}) }
  }

  /** True if a schema, or the definition that it refers to, is only for the other direction. */
  #isMarked(schema: JsonSchema, mark: 'readOnly' | 'writeOnly'): boolean {
    if (schema[mark] === true) return true
    let at = this.#sources.get(String(schema.$ref).replace('#/$defs/', ''))
    for (let steps = 0; steps < 20 && at && isObject(at.value); steps++) {
      const { $ref, [mark]: marked } = at.value
      if (typeof $ref !== 'string') return marked === true
      // Before 3.1, other keywords than the description do not count next to a reference.
      if (marked === true && !this.isOlder) return true
      at = this.#documents.find($ref, at.url)
    }
    return false
  }
}

function typesOf(given: unknown): unknown {
  const named = [given].flat().flatMap((name) => {
    const known = typeof name === 'string' ? (otherTypes[name.toLowerCase()] ?? name.toLowerCase()) : ''
    return types.has(known) ? [known] : []
  })
  const unique = [...new Set(named)]
  return unique.length <= 1 ? unique[0] : unique
}

/** The same schema, allowing null. */
function nullable(schema: JsonSchema): JsonSchema {
  if (Array.isArray(schema.enum) && !schema.enum.includes(null))
    return nullable({ ...schema, enum: [...schema.enum, null] })
  if (typeof schema.type === 'string') return { ...schema, type: [schema.type, 'null'] }
  if (Array.isArray(schema.type))
    return schema.type.includes('null') ? schema : { ...schema, type: [...schema.type, 'null'] }
  const { description, title, ...rest } = schema
  if (Object.keys(rest).length === 0) return schema
  return { ...pick(schema, ['title', 'description']), anyOf: [rest, { type: 'null' }] }
}

const pick = (given: JsonObject, names: readonly string[]): JsonObject =>
  Object.fromEntries(names.flatMap((name) => (typeof given[name] === 'string' ? [[name, given[name]]] : [])))

const numberOf = (value: unknown): number =>
  typeof value === 'number' ? value : typeof value === 'string' && value.trim() !== '' ? Number(value) : Number.NaN

function isPattern(text: string): boolean {
  try {
    new RegExp(text, 'u')
    return true
  } catch {
    return false
  }
}
