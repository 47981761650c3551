import { compilingValidator } from '../../kit/compiling-validator.js'
import type { JsonSchema } from '../../kit/schema.js'

/** What of a value does not fit a schema, as one line; undefined if it fits. `whole` is how the value itself is called. */
export async function misfitOf(schema: JsonSchema, value: unknown, whole: string): Promise<string | undefined> {
  const validate = await compilingValidator.prepare(schema)
  const issues = validate(value)
  if (issues.length === 0) return undefined
  const reasons = issues.slice(0, 3).map(({ path, reason }) => `${path.join('.') || whole}: ${reason}`)
  return reasons.join('; ')
}

/** The first name that stands twice. */
export const firstTwice = (names: readonly string[]): string | undefined =>
  names.find((name, at) => names.indexOf(name) !== at)
