import { compilingValidator } from '../kit/compiling-validator.js'
import type { JsonSchemaValidator, Validate } from '../kit/validation.js'
import { DeadlineExceeded, withinDeadline } from './deadline.js'

const checkMs = 1000
const maxSchemaCharacters = 1_000_000

/**
 * Checks values against schemas of peers: compiling and checking each have a deadline, whatever the schema is. A value whose check did not end
 * does not fit; a schema that cannot be prepared in time rejects, as a broken one does.
 */
export const foreignValidator: JsonSchemaValidator = {
  async prepare(schema) {
    if (JSON.stringify(schema).length > maxSchemaCharacters)
      throw new Error(`the schema is longer than ${maxSchemaCharacters} characters`)
    // Loaded before the clock runs.
    await compilingValidator.prepare({ type: 'object' })
    const validate: Validate = await prepared(schema)
    return (value) => {
      try {
        return withinDeadline(checkMs, () => validate(value))
      } catch (error) {
        if (error instanceof DeadlineExceeded || error instanceof RangeError)
          return [{ path: [], reason: `the schema could not be checked: ${error.message}` }]
        throw error
      }
    }
  },
}

/** Compiling happens where a promise is taken up, so the deadline stands around that. */
async function prepared(schema: Parameters<JsonSchemaValidator['prepare']>[0]): Promise<Validate> {
  const compile = await compilingValidator.prepareLater(schema)
  return withinDeadline(checkMs * 2, compile)
}
