import { type Schema as CfworkerSchema, format, Validator } from '@cfworker/json-schema'
import { boundedFormat } from './formats.js'
import { nativeTest, needsLinearEngine, type PatternMaker, patternMakerFor } from './pattern.js'
import type { JsonSchema } from './schema.js'
import { distinctIssues, sentenceFor } from './sentences.js'
import { isSmall, type JsonSchemaValidator, maxIssues, type SchemaIssue, type Validate } from './validation.js'

/** Longest list for `uniqueItems`, which compares every pair. */
const maxUnique = 1000
/** Time limit, since the interpreter is slow for valid and invalid values alike. */
const maxValues = 100_000

/** Checks JSON Schema without generating code: for browsers under a strict CSP and for edge runtimes. */
export const interpretingValidator: JsonSchemaValidator = {
  prepare(schema) {
    return needsLinearEngine(schema)
      ? patternMakerFor(schema).then((makePattern) => validatorFor(schema, makePattern))
      : validatorFor(schema, nativeTest)
  },
}

/** The same, synchronously, for schemas whose patterns the author wrote. */
export const interpretNow = (schema: JsonSchema): Validate => validatorFor(schema, nativeTest)

function validatorFor(schema: JsonSchema, makePattern: PatternMaker): Validate {
  boundFormats()
  // The interpreter modifies the schema that it gets, and ours are frozen.
  const own = structuredClone(schema) as JsonSchema
  const patterns: Formats = {}
  bound(own, makePattern, patterns, 0)
  const dialect = dialectOf(schema.$schema)
  const first = new Validator(own as CfworkerSchema, dialect, true)
  const all = new Validator(own as CfworkerSchema, dialect, false)
  return (value) => {
    if (!isSmall(value, maxValues))
      return [{ path: [], reason: `it has more than ${maxValues} values, which is the limit for validation` }]
    return withFormats(patterns, () => {
      const found = first.validate(value)
      if (found.valid) return []
      // Finding every error takes time in proportion to the value; for a large value, the first error is enough.
      const { errors } = isSmall(value) ? all.validate(value) : found
      return distinctIssues(innermost(withUnknown(errors).map(readError))).slice(0, maxIssues)
    })
  }
}

type Formats = Record<string, (text: string) => boolean>

/** The interpreter has one global table of formats; the formats of a schema are in it only during a check. */
function withFormats<T>(own: Formats, check: () => T): T {
  const known = format as Formats
  Object.assign(known, own)
  try {
    return check()
  } finally {
    for (const name of Object.keys(own)) delete known[name]
  }
}

const patternPrefix = 'jexo-pattern:'

/**
 * Replaces keywords that the interpreter runs without limits: a pattern becomes a format of ours, and a list with
 * `uniqueItems` gets a maximum length. `patternProperties` are kept only if their pattern is safe.
 */
function bound(schema: unknown, makePattern: PatternMaker, patterns: Formats, depth: number): void {
  if (typeof schema !== 'object' || schema === null || depth > 200) return
  const own = schema as Record<string, unknown>
  if (typeof own.pattern === 'string') {
    const name = patternPrefix + own.pattern
    patterns[name] ??= makePattern(own.pattern)
    const before = Array.isArray(own.allOf) ? own.allOf : []
    own.allOf = [...before, { format: name }]
    delete own.pattern
  }
  if (own.uniqueItems === true) own.maxItems = Math.min(maxUnique, Number(own.maxItems ?? maxUnique))
  const { patternProperties } = own
  if (typeof patternProperties === 'object' && patternProperties !== null)
    for (const pattern of Object.keys(patternProperties))
      if (needsLinearEngine({ pattern })) delete (patternProperties as Record<string, unknown>)[pattern]
  for (const [key, value] of Object.entries(own))
    if (key !== 'enum' && key !== 'const') bound(value, makePattern, patterns, depth + 1)
}

let isBound = false

function boundFormats(): void {
  if (isBound) return
  isBound = true
  const formats = format as Formats
  for (const [name, check] of Object.entries(formats)) formats[name] = boundedFormat(name, check)
}

function dialectOf(uri: unknown): '2020-12' | '2019-09' | '7' | '4' {
  const text = String(uri ?? '')
  if (text.includes('2019-09')) return '2019-09'
  if (text.includes('draft-07') || text.includes('draft-06')) return '7'
  return text.includes('draft-04') ? '4' : '2020-12'
}

interface Located extends SchemaIssue {
  isContainer: boolean
}

interface Unit {
  instanceLocation: string
  keyword: string
  error: string
}

/**
 * An unknown property is reported twice, by its object and by the schema `false`; the second report names it as the
 * first does.
 */
function withUnknown(errors: readonly Unit[]): Unit[] {
  const unknown = new Set(
    errors.flatMap(({ keyword, instanceLocation, error }) => {
      const name = /^(additional|unevaluated)Properties$/.test(keyword)
        ? /^Property "(.*)" does/s.exec(error)?.[1]
        : undefined
      return name === undefined ? [] : [`${instanceLocation}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`]
    }),
  )
  return errors.map((unit) =>
    unit.keyword === 'false' && unknown.has(decodeURI(unit.instanceLocation))
      ? { ...unit, keyword: 'unknownProperty' }
      : unit,
  )
}

function readError(unit: Unit): Located {
  const path = unit.instanceLocation
    .split('/')
    .slice(1)
    .map((segment) => decodeURIComponent(segment).replaceAll('~1', '/').replaceAll('~0', '~'))
    .map((segment) => (/^\d+$/.test(segment) ? Number(segment) : segment))
  const missing = /^(required|dependentRequired)$/.test(unit.keyword)
    ? /"([^"]+)"\.$/.exec(unit.error)?.[1]
    : undefined
  // A pattern is checked by one of our formats.
  const isPattern = unit.keyword === 'format' && unit.error.includes(`"${patternPrefix}`)
  const keyword = isPattern ? 'pattern' : unit.keyword
  return {
    path: missing === undefined ? path : [...path, missing],
    reason: sentenceFor(keyword, isPattern ? unit.error.replace(patternPrefix, '') : unit.error),
    isContainer: containerKeywords.has(unit.keyword),
  }
}

const containerKeywords = new Set([
  ...['properties', 'patternProperties', 'additionalProperties', 'unevaluatedProperties'],
  ...['items', 'prefixItems', 'additionalItems', 'unevaluatedItems'],
  ...['allOf', 'dependentSchemas', 'dependencies', 'if', '$ref', '$dynamicRef', '$recursiveRef'],
])

/** The interpreter reports an error at every level above it; only the innermost report is useful. */
function innermost(errors: Located[]): SchemaIssue[] {
  const faults = errors.filter((error) => !error.isContainer)
  const chosen = faults.length > 0 ? faults : errors
  return chosen.map(({ path, reason }) => ({ path, reason }))
}
