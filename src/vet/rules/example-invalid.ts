import type { Found, Rule } from '../finding.js'
import { misfitsOf } from '../misfits.js'
import { inTool } from '../surface.js'

export const exampleInvalid: Rule = {
  id: 'example-invalid',
  group: 'schemas',
  severity: 'error',
  about: 'Examples that do not fit the input schema.',
  check: async ({ tools }) => {
    const found: Found[] = []
    for (const tool of tools) {
      const examples = Array.isArray(tool.inputSchema.examples) ? tool.inputSchema.examples : []
      for (const [at, example] of examples.entries()) {
        const [misfit] = await misfitsOf(tool.inputSchema, example)
        if (misfit)
          found.push({
            where: `${inTool(tool)}, example ${at + 1}`,
            what: `the example does not fit the input schema: ${misfit}`,
            fix: 'fix the example; people and models copy it',
          })
      }
    }
    return found
  },
}
