import type { Found, Rule } from '../finding.js'
import { issuesOf } from '../schema-issues.js'
import { inTool } from '../snapshot.js'

export const exampleInvalid: Rule = {
  id: 'example-invalid',
  group: 'schemas',
  severity: 'error',
  about: 'Examples that do not match the input schema.',
  check: async ({ tools }) => {
    const found: Found[] = []
    for (const tool of tools) {
      const examples = Array.isArray(tool.inputSchema.examples) ? tool.inputSchema.examples : []
      for (const [at, example] of examples.entries()) {
        const [issue] = await issuesOf(tool.inputSchema, example)
        if (issue)
          found.push({
            location: `${inTool(tool)}, example ${at + 1}`,
            problem: `the example does not match the input schema: ${issue}`,
            fix: 'fix the example; people and models copy it',
          })
      }
    }
    return found
  },
}
