import { compilingValidator } from '../kit/compiling-validator.js'
import type { JsonSchemaValidator, Validate } from '../kit/validation.js'
import { DeadlineExceeded, withinDeadline } from './deadline.js'

const checkMs = 1000
const maxSchemaCharacters = 1_000_000

/**
 * Checks values against schemas of peers: compiling and checking each have a time limit, whatever the schema is. A
 * value whose check did not end is invalid; a schema that cannot be compiled in time rejects, as an invalid one does.
 */
export const foreignValidator: JsonSchemaValidator = {
  async prepare(schema) {
    if (JSON.stringify(schema).length > maxSchemaCharacters)
      throw new Error(`the schema is longer than ${maxSchemaCharacters} characters`)
    // Loaded before the time limit starts.
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

/** Compiling happens in a promise continuation, so the time limit is set around that. */
async function prepared(schema: Parameters<JsonSchemaValidator['prepare']>[0]): Promise<Validate> {
  const compile = await compilingValidator.prepareLater(schema)
  return withinDeadline(checkMs * 2, compile)
}
