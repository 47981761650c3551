import type { JsonSchema } from '../kit/schema.js'
import { foreignValidator } from '../transport/foreign-validator.js'

/** How a value does not fit a schema, in words; nothing if it does, or where the schema itself is broken (that is said elsewhere). */
export async function issuesOf(schema: JsonSchema, value: unknown): Promise<string[]> {
  try {
    const validate = await foreignValidator.prepare(schema)
    return validate(value).map(({ path, reason }) => (path.length > 0 ? `${path.join('.')}: ${reason}` : reason))
  } catch {
    return []
  }
}
