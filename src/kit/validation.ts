import type { StandardSchemaV1 } from '@standard-schema/spec'
import { isObject } from '../protocol/messages.js'
import { describeSchema, emptyInput, isStandardSchema, type JsonSchema, type Schema, schemaAt } from './schema.js'
import { noSuchProperty } from './sentences.js'
import { branchesOf, lackOfClosest } from './union-issues.js'

/** A mismatch: its location (path of keys and indexes) and the reason. */
export interface SchemaIssue {
  path: readonly (string | number)[]
  reason: string
}
export type Checked = { ok: true; value: unknown } | { ok: false; issues: SchemaIssue[] }
/** Checks a value against the schema that the check was compiled from. */
export type Check = (value: unknown) => Checked | Promise<Checked>

/** The maximum number of mismatches that are reported. */
export const maxIssues = 20

/** True for a small value, in which every error may be searched for. */
export function isSmall(value: unknown, most = 2000): boolean {
  let left = most
  const visit = (inner: unknown): boolean => {
    if (--left < 0) return false
    if (typeof inner === 'string') left -= inner.length / 100
    if (left < 0) return false
    if (typeof inner !== 'object' || inner === null) return true
    for (const key in inner) if (!visit((inner as Record<string, unknown>)[key])) return false
    return true
  }
  return visit(value)
}

/** A compiled check, which returns the mismatches. */
export type Validate = (value: unknown) => SchemaIssue[]

/**
 * Checks plain JSON Schema. Passed in, since edge runtimes and a strict CSP forbid compiling: Ajv on Node, an
 * interpreter elsewhere.
 */
export interface JsonSchemaValidator {
  /** Compiles a schema, synchronously or after loading a validator. Throws or rejects if the schema is not valid. */
  prepare(schema: JsonSchema): Validate | Promise<Validate>
}

/** A check for an author's schema: with its own library, or with the validator for plain JSON Schema (compiled at first use). */
export function checkFor(schema: Schema | undefined, json: JsonSchema, validator: JsonSchemaValidator): Check {
  if (schema !== undefined && isStandardSchema(schema)) return (value) => checkStandard(schema, value)
  if (json === emptyInput) return checkEmpty
  let validate: Validate | undefined
  const checkWith = (prepared: Validate, value: unknown) => {
    validate = prepared
    return checkedBy(prepared, value)
  }
  return (value) => {
    if (validate) return checkedBy(validate, value)
    const prepared = validator.prepare(json)
    if (prepared instanceof Promise) return prepared.then((ready) => checkWith(ready, value))
    return checkWith(prepared, value)
  }
}

/** Checks the input of a tool without arguments, without loading a validator. */
function checkEmpty(value: unknown): Checked {
  const issues = Object.keys(isObject(value) ? value : {})
    .slice(0, maxIssues)
    .map((name) => ({
      path: [name],
      reason: noSuchProperty,
    }))
  return issues.length === 0 ? { ok: true, value } : { ok: false, issues }
}

function checkedBy(validate: Validate, value: unknown): Checked {
  const issues = issuesOf(validate, value)
  return issues.length === 0 ? { ok: true, value } : { ok: false, issues }
}

/** A value that is nested deeper than a validator can follow is invalid. */
function issuesOf(validate: Validate, value: unknown): SchemaIssue[] {
  try {
    return validate(value)
  } catch (error) {
    if (error instanceof RangeError) return [{ path: [], reason: 'it is nested too deeply' }]
    throw error
  }
}

function checkStandard(schema: StandardSchemaV1<unknown, unknown>, value: unknown): Checked | Promise<Checked> {
  const result = schema['~standard'].validate(value)
  return result instanceof Promise ? result.then(readStandard) : readStandard(result)
}

function readStandard(result: StandardSchemaV1.Result<unknown>): Checked {
  if (!result.issues) return { ok: true, value: result.value }
  const issues = result.issues.slice(0, maxIssues).map((issue) => ({
    path: (issue.path ?? []).map((segment) => {
      const key = typeof segment === 'object' ? segment.key : segment
      return typeof key === 'number' ? key : String(key)
    }),
    reason: issue.message,
  }))
  return { ok: false, issues }
}

/**
 * An error text with which a model can correct its call: for each issue the field, the received value and the accepted values (Tools, "Error Handling").
 */
export function explainIssues(
  tool: string,
  schema: JsonSchema,
  value: unknown,
  issues: readonly SchemaIssue[],
): string {
  const all = [...new Set(atUnions(schema, issues).map((issue) => `- ${explain(schema, value, issue)}`))]
  const lines = all.slice(0, 12)
  if (all.length > 12) lines.push(`- and ${all.length - 12} more`)
  const properties = isObject(schema.properties) ? Object.keys(schema.properties) : []
  const required = Array.isArray(schema.required) ? schema.required : []
  const accepted = properties.map((name) => (required.includes(name) ? name : `${name}?`)).join(', ')
  lines.push(accepted ? `Arguments of ${tool}: ${accepted}.` : `${tool} takes no arguments.`)
  return `Invalid arguments for ${tool}; correct them and call again.\n${lines.join('\n')}`
}

/** A value that matches no branch of a union fails in each of them; this returns a single issue for it. */
function atUnions(schema: JsonSchema, issues: readonly SchemaIssue[]): SchemaIssue[] {
  const unions = issues.filter(({ path }) => {
    const at = schemaAt(schema, path)
    return at !== undefined && branchesOf(at) !== undefined
  })
  return issues.filter((issue) => {
    const isBelow = (union: SchemaIssue) =>
      union !== issue &&
      union.path.length <= issue.path.length &&
      union.path.every((key, at) => key === issue.path[at]) &&
      (union.path.length < issue.path.length ||
        unions.indexOf(issue) > unions.indexOf(union) ||
        !unions.includes(issue))
    return !unions.some(isBelow)
  })
}

function explain(schema: JsonSchema, value: unknown, { path, reason }: SchemaIssue): string {
  const name = path.length > 0 ? path.join('.') : 'arguments'
  const given = path.reduce<unknown>((at, key) => (at as Record<string, unknown> | undefined)?.[key], value)
  const said = given === undefined ? 'missing' : `received ${shorten(JSON.stringify(given) ?? String(given))}`
  const accepts = path.length > 0 ? schemaAt(schema, path) : undefined
  const lack = accepts && given !== undefined ? lackOfClosest(accepts, given, schema) : undefined
  const about = typeof accepts?.description === 'string' ? ` (${accepts.description})` : ''
  if (lack !== undefined) return `${name}: ${lack}${about}`
  const wanted = accepts
    ? `expected ${describeSchema(accepts)}`
    : reason === noSuchProperty && path.length === 1
      ? 'there is no such argument'
      : reason
  return `${name}: ${said}; ${wanted}${about}`
}

const shorten = (text: string) => (text.length > 120 ? `${text.slice(0, 117)}…` : text)
