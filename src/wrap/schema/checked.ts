import { compilingValidator } from '../../kit/compiling-validator.js'
import type { JsonSchema } from '../../kit/schema.js'

/**
 * Errors of a value against a schema on one line; undefined if it is valid. `whole` is the name for the value itself.
 */
export async function mismatchOf(schema: JsonSchema, value: unknown, whole: string): Promise<string | undefined> {
  const validate = await compilingValidator.prepare(schema)
  const issues = validate(value)
  if (issues.length === 0) return undefined
  const reasons = issues.slice(0, 3).map(({ path, reason }) => `${path.join('.') || whole}: ${reason}`)
  return reasons.join('; ')
}

/** The first duplicate name. */
export const firstTwice = (names: readonly string[]): string | undefined =>
  names.find((name, at) => names.indexOf(name) !== at)
