import type { Found, Rule } from '../finding.js'
import { issuesOf } from '../schema-issues.js'
import { placeIn, schemasIn } from '../snapshot.js'

export const defaultInvalid: Rule = {
  id: 'default-invalid',
  group: 'schemas',
  severity: 'error',
  about: 'Defaults that do not match their own schema.',
  check: async ({ tools }) => {
    const found: Found[] = []
    for (const tool of tools)
      for (const { schema, path } of schemasIn(tool.inputSchema)) {
        if (schema.default === undefined || JSON.stringify(schema).includes('"$ref"')) continue
        const [issue] = await issuesOf(schema, schema.default)
        if (issue)
          found.push({
            location: placeIn(tool, path),
            problem: `the default ${JSON.stringify(schema.default)} does not match its schema: ${issue}`,
            fix: 'set a default that matches the schema',
          })
      }
    return found
  },
}
