import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

export const schemaRootUnion: Rule = {
  id: 'schema-root-union',
  group: 'schemas',
  severity: 'error',
  about: 'Inputs with a union at the top, which endpoints for chat refuse.',
  check: ({ tools }) =>
    tools.flatMap((tool) => {
      const found = ['oneOf', 'anyOf', 'allOf', 'not'].filter((key) => key in tool.inputSchema)
      return found.length === 0
        ? []
        : [
            {
              where: inTool(tool),
              what: `its input has ${found.join(' and ')} at the top`,
              mend: 'make one object of it, or a tool for each case',
            },
          ]
    }),
}
