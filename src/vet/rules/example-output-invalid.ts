import type { Found, Rule } from '../finding.js'
import { issuesOf } from '../schema-issues.js'

export const exampleOutputInvalid: Rule = {
  id: 'example-output-invalid',
  group: 'schemas',
  severity: 'error',
  about: 'Examples whose output does not match the output schema.',
  check: async ({ kit }) => {
    const found: Found[] = []
    for (const part of kit?.parts ?? []) {
      if (part.kind !== 'tool' || !part.outputSchema) continue
      for (const [at, { output }] of part.examples.entries()) {
        if (output === undefined) continue
        const [issue] = await issuesOf(part.outputSchema, output)
        if (issue)
          found.push({
            location: `tool ${part.name}, example ${at + 1}`,
            problem: `the example's output does not match the output schema: ${issue}`,
            fix: 'fix the example or the schema',
          })
      }
    }
    return found
  },
}
