import type { Arbitrary } from 'fast-check'
import { isObject, type JsonObject } from '../../protocol/messages.js'

type FastCheck = typeof import('fast-check').default

/** Maximum depth of generated values; deeper values take their smallest form. */
const mostDeep = 5

/**
 * Generates values that match a JSON Schema, such that a failing one shrinks to a small one. Keywords that exclude
 * values (`not`, `if`, `dependentSchemas`) are ignored; the caller checks the values.
 */
export function fitting(fc: FastCheck, root: JsonObject): Arbitrary<unknown> {
  return new Fitting(fc, root).of(root, 0)
}

class Fitting {
  readonly #fc: FastCheck
  readonly #root: JsonObject
  constructor(fc: FastCheck, root: JsonObject) {
    this.#fc = fc
    this.#root = root
  }

  of(given: unknown, depth: number): Arbitrary<unknown> {
    const fc = this.#fc
    const schema = this.#resolved(given, depth)
    if (!isObject(schema)) return fc.constantFrom<unknown>('a', 1, true, null)
    if ('const' in schema) return fc.constant(schema.const)
    if (Array.isArray(schema.enum) && schema.enum.length > 0) return fc.constantFrom(...schema.enum)
    const branches = [schema.anyOf, schema.oneOf].find((list) => Array.isArray(list) && list.length > 0)
    if (Array.isArray(branches)) {
      const { anyOf: _, oneOf: __, ...rest } = schema
      // At a certain depth, values that need no further nesting end a recursive schema.
      const plain = depth < mostDeep ? [] : branches.filter((branch) => isObject(branch) && !('$ref' in branch))
      return fc.oneof(
        ...(plain.length > 0 ? plain : branches).map((branch) =>
          this.of(merged(rest, this.#resolved(branch, depth)), depth + 1),
        ),
      )
    }
    if (Array.isArray(schema.allOf)) {
      const { allOf, ...rest } = schema
      const whole = allOf.reduce<unknown>((sum, part) => merged(sum, this.#resolved(part, depth)), rest)
      return this.of(whole, depth + 1)
    }
    const made = fc.oneof(...typesOf(schema).map((type) => this.#ofType(type, schema, depth)))
    const samples = [...(Array.isArray(schema.examples) ? schema.examples : []), ...defaultOf(schema)]
    return samples.length === 0 ? made : fc.oneof(made, fc.constantFrom(...samples))
  }

  #ofType(type: string, schema: JsonObject, depth: number): Arbitrary<unknown> {
    const fc = this.#fc
    switch (type) {
      case 'string':
        return this.#text(schema)
      case 'integer':
      case 'number':
        return this.#number(type, schema)
      case 'boolean':
        return fc.boolean()
      case 'null':
        return fc.constant(null)
      case 'array':
        return this.#list(schema, depth)
      default:
        return this.#object(schema, depth)
    }
  }

  #object(schema: JsonObject, depth: number): Arbitrary<unknown> {
    const fc = this.#fc
    const required = new Set(Array.isArray(schema.required) ? schema.required.map(String) : [])
    const fields: Record<string, Arbitrary<unknown>> = {}
    for (const [name, field] of Object.entries(isObject(schema.properties) ? schema.properties : {}))
      if (depth < mostDeep || required.has(name)) fields[name] = this.of(field, depth + 1)
    for (const name of required) fields[name] ??= this.of(schema.additionalProperties, depth + 1)
    const known = fc.record(fields, { requiredKeys: [...required], noNullPrototype: true })
    const least = typeof schema.minProperties === 'number' ? schema.minProperties : 0
    const isOpen = isObject(schema.additionalProperties)
    if ((!isOpen || depth >= mostDeep) && Object.keys(fields).length >= least) return known
    const more = fc.dictionary(fc.stringMatching(/^[a-z]{1,8}$/), this.of(schema.additionalProperties, depth + 1), {
      minKeys: Math.max(0, least - required.size),
      maxKeys: Math.max(3, least),
      noNullPrototype: true,
    })
    return fc.tuple(more, known).map(([others, own]) => ({ ...others, ...(own as object) }))
  }

  #list(schema: JsonObject, depth: number): Arbitrary<unknown> {
    const fc = this.#fc
    if (Array.isArray(schema.prefixItems) && schema.prefixItems.length > 0)
      return fc.tuple(...schema.prefixItems.map((item) => this.of(item, depth + 1)))
    const minLength = typeof schema.minItems === 'number' ? schema.minItems : 0
    const most = typeof schema.maxItems === 'number' ? schema.maxItems : minLength + 4
    const maxLength = Math.max(minLength, depth >= mostDeep ? minLength : Math.min(most, minLength + 20))
    const item = this.of(schema.items, depth + 1)
    return schema.uniqueItems === true
      ? fc.uniqueArray(item, { minLength, maxLength, selector: (value) => JSON.stringify(value) })
      : fc.array(item, { minLength, maxLength })
  }

  #number(type: 'integer' | 'number', schema: JsonObject): Arbitrary<unknown> {
    const fc = this.#fc
    const step = typeof schema.multipleOf === 'number' && schema.multipleOf > 0 ? schema.multipleOf : undefined
    const [min, max] = boundsOf(schema, step ?? (type === 'integer' ? 1 : 0))
    if (step !== undefined)
      return fc.integer({ min: Math.ceil(min / step), max: Math.floor(max / step) }).map((times) => times * step)
    const whole = fc.integer({ min: Math.ceil(min), max: Math.floor(max) })
    if (type === 'integer') return whole
    const any = fc.double({ min, max, noNaN: true, noDefaultInfinity: true })
    return Math.ceil(min) <= Math.floor(max) ? fc.oneof(whole, any) : any
  }

  #text(schema: JsonObject): Arbitrary<string> {
    const fc = this.#fc
    const minLength = typeof schema.minLength === 'number' ? schema.minLength : 0
    const maxLength = typeof schema.maxLength === 'number' ? schema.maxLength : Math.max(minLength, 3000)
    const format = typeof schema.format === 'string' ? this.#format(schema.format) : undefined
    if (format) return format
    if (typeof schema.pattern === 'string') return this.#matching(schema.pattern, minLength, maxLength)
    const awkward = awkwardTexts.filter((text) => [...text].length >= minLength && [...text].length <= maxLength)
    const plain = fc.string({
      minLength,
      maxLength: Math.min(maxLength, Math.max(minLength, 60)),
      unit: 'binary',
    })
    const long = fc.integer({ min: minLength, max: maxLength }).map((length) => 'x'.repeat(length))
    const choices = [plain, long, ...(awkward.length === 0 ? [] : [fc.constantFrom(...awkward)])]
    return fc.oneof({ withCrossShrink: true }, ...choices)
  }

  #matching(pattern: string, minLength: number, maxLength: number): Arbitrary<string> {
    try {
      // The required length may never be reached, so it is checked afterwards.
      return this.#fc.stringMatching(new RegExp(pattern, 'u'), { maxLength })
    } catch {
      // Patterns that cannot be used for generation (look-ahead, other dialects) give texts that may not match, and are
      // checked afterwards.
      return this.#fc.string({ minLength, maxLength: Math.min(maxLength, 60) })
    }
  }

  #format(format: string): Arbitrary<string> | undefined {
    const fc = this.#fc
    const moment = fc.date({ min: new Date('1900-01-01'), max: new Date('2100-01-01'), noInvalidDate: true })
    const formats: Record<string, () => Arbitrary<string>> = {
      date: () => moment.map((date) => date.toISOString().slice(0, 10)),
      'date-time': () => moment.map((date) => date.toISOString()),
      time: () => moment.map((date) => date.toISOString().slice(11)),
      email: () => fc.emailAddress(),
      uri: () => fc.webUrl(),
      url: () => fc.webUrl(),
      uuid: () => fc.uuid(),
      ipv4: () => fc.ipV4(),
      ipv6: () => fc.ipV6(),
      hostname: () => fc.domain(),
    }
    return formats[format]?.()
  }

  #resolved(schema: unknown, depth: number): unknown {
    if (!isObject(schema) || typeof schema.$ref !== 'string') return schema
    if (depth > mostDeep * 2 || !schema.$ref.startsWith('#')) return undefined
    const { $ref, ...rest } = schema
    const found = String($ref)
      .slice(1)
      .split('/')
      .slice(1)
      .map((key) => decodeURIComponent(key).replaceAll('~1', '/').replaceAll('~0', '~'))
      .reduce<unknown>(
        (at, key) => (isObject(at) || Array.isArray(at) ? (at as JsonObject)[key] : undefined),
        this.#root,
      )
    return this.#resolved(merged(rest, found), depth + 1)
  }
}

/** Texts that often cause errors: empty text, other scripts, paths and statements that escape. */
const awkwardTexts = [
  '',
  ' ',
  '0',
  'null',
  "O'Hive",
  '"quoted" \\ text',
  '../../etc/passwd',
  "'; DROP TABLE hives; --",
  '%00%2e%2e',
  'Bienenstöcke 蜂箱 🐝',
  '\u202Eabc',
  'line one\nline two\ttab',
  '{{7*7}}<%= 7*7 %>',
]

const defaultOf = (schema: JsonObject): unknown[] => ('default' in schema ? [schema.default] : [])

function typesOf(schema: JsonObject): string[] {
  if (typeof schema.type === 'string') return [schema.type]
  if (Array.isArray(schema.type) && schema.type.length > 0) return schema.type.map(String)
  if ('properties' in schema || 'required' in schema) return ['object']
  if ('items' in schema || 'prefixItems' in schema) return ['array']
  if ('pattern' in schema || 'minLength' in schema || 'maxLength' in schema) return ['string']
  if ('minimum' in schema || 'maximum' in schema) return ['number']
  return ['string', 'number', 'boolean', 'null']
}

function boundsOf(schema: JsonObject, step: number): [number, number] {
  const number = (key: string) => (typeof schema[key] === 'number' ? (schema[key] as number) : undefined)
  const small = step || 1e-6
  const above = number('exclusiveMinimum')
  const below = number('exclusiveMaximum')
  const min = Math.max(number('minimum') ?? -1e6, above === undefined ? -Infinity : above + small)
  const max = Math.min(number('maximum') ?? 1e6, below === undefined ? Infinity : below - small)
  // Bounds beyond a million, in one direction only.
  if (min > max)
    return number('minimum') === undefined && above === undefined ? [max - 1000, max] : [min, min + 1000]
  return [min, max]
}

/** Two schemas that both apply, combined as far as possible. */
function merged(one: unknown, other: unknown): unknown {
  if (!isObject(one)) return other
  if (!isObject(other)) return one
  const both = (key: string) => ({
    ...(isObject(one[key]) ? one[key] : {}),
    ...(isObject(other[key]) ? other[key] : {}),
  })
  const required = [one.required, other.required].flatMap((list) => (Array.isArray(list) ? list : []))
  return {
    ...one,
    ...other,
    ...('properties' in one || 'properties' in other ? { properties: both('properties') } : {}),
    ...(required.length > 0 ? { required: [...new Set(required)] } : {}),
  }
}
