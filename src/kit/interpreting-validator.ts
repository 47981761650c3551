import { type Schema as CfworkerSchema, Validator } from '@cfworker/json-schema'
import type { JsonSchemaValidator, Misfit } from './validation.js'

/** Checks JSON Schema without generating code: for browsers under a strict CSP and for edge runtimes. */
export const interpretingValidator: JsonSchemaValidator = {
  prepare(schema) {
    // It writes into the schema it is given, and ours are frozen.
    const validator = new Validator(structuredClone(schema) as CfworkerSchema, dialectOf(schema.$schema), false)
    return (value) => {
      const result = validator.validate(value)
      return result.valid ? [] : innermost(result.errors.map(readError))
    }
  },
}

function dialectOf(uri: unknown): '2020-12' | '2019-09' | '7' | '4' {
  const text = String(uri ?? '')
  if (text.includes('2019-09')) return '2019-09'
  if (text.includes('draft-07') || text.includes('draft-06')) return '7'
  return text.includes('draft-04') ? '4' : '2020-12'
}

interface Located extends Misfit {
  isContainer: boolean
}

function readError(unit: { instanceLocation: string; keyword: string; error: string }): Located {
  const path = unit.instanceLocation
    .split('/')
    .slice(1)
    .map((segment) => decodeURIComponent(segment).replaceAll('~1', '/').replaceAll('~0', '~'))
  const missing = unit.keyword === 'required' ? /"([^"]+)"/.exec(unit.error)?.[1] : undefined
  return {
    path: missing === undefined ? path : [...path, missing],
    reason: unit.error,
    isContainer: containerKeywords.has(unit.keyword),
  }
}

const containerKeywords = new Set(['properties', 'items', 'prefixItems', 'allOf', '$ref', 'additionalProperties'])

/** The interpreter reports each level that a fault lies under; only the fault itself is of use. */
function innermost(errors: Located[]): Misfit[] {
  const faults = errors.filter((error) => !error.isContainer)
  const chosen = faults.length > 0 ? faults : errors
  return chosen.map(({ path, reason }) => ({ path, reason }))
}
