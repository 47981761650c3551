import { messageOf } from '../../errors.js'
import type { JsonSchema } from '../../kit/schema.js'
import { foreignValidator } from '../../transport/foreign-validator.js'
import type { Found, Rule } from '../finding.js'
import { inTool, schemasOf } from '../snapshot.js'

async function faultOf(schema: JsonSchema): Promise<string | undefined> {
  try {
    await foreignValidator.prepare(schema)
    return undefined
  } catch (error) {
    return messageOf(error)
  }
}

export const schemaBroken: Rule = {
  id: 'schema-broken',
  group: 'schemas',
  severity: 'error',
  about: 'Invalid schemas.',
  check: async ({ tools }) => {
    const found: Found[] = []
    for (const tool of tools)
      for (const { of, schema } of schemasOf(tool)) {
        const reason = await faultOf(schema)
        if (reason !== undefined)
          found.push({
            location: inTool(tool),
            problem: `the ${of} schema is invalid: ${reason}`,
            fix: 'fix it according to its JSON Schema dialect (2020-12 unless $schema names another)',
          })
      }
    return found
  },
}
