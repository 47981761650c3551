import type { JsonSchema } from '../kit/schema.js'
import { foreignValidator } from '../transport/foreign-validator.js'

/**
 * Errors of a value against a schema, as text; empty if it is valid, or if the schema itself is invalid (reported
 * elsewhere).
 */
export async function issuesOf(schema: JsonSchema, value: unknown): Promise<string[]> {
  try {
    const validate = await foreignValidator.prepare(schema)
    return validate(value).map(({ path, reason }) => (path.length > 0 ? `${path.join('.')}: ${reason}` : reason))
  } catch {
    return []
  }
}
