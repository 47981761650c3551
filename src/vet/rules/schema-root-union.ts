import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

export const schemaRootUnion: Rule = {
  id: 'schema-root-union',
  group: 'schemas',
  severity: 'error',
  about: 'Inputs with a union at the root, which chat endpoints reject.',
  check: ({ tools }) =>
    tools.flatMap((tool) => {
      const found = ['oneOf', 'anyOf', 'allOf', 'not'].filter((key) => key in tool.inputSchema)
      return found.length === 0
        ? []
        : [
            {
              location: inTool(tool),
              problem: `the input has ${found.join(' and ')} at the root, which chat endpoints reject`,
              fix: 'use one object, or one tool per case',
            },
          ]
    }),
}
