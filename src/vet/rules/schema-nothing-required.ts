import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'

export const schemaNothingRequired: Rule = {
  id: 'schema-nothing-required',
  group: 'schemas',
  severity: 'note',
  about: 'Tools with several arguments, none of them required, which a model may all omit.',
  check: ({ tools }) =>
    tools
      .filter(
        (tool) =>
          parametersOf(tool).length > 2 &&
          !(Array.isArray(tool.inputSchema.required) && tool.inputSchema.required.length > 0),
      )
      .filter((tool) => parametersOf(tool).every(([, schema]) => schema.default === undefined))
      .map((tool) => ({
        location: inTool(tool),
        problem: `none of the ${parametersOf(tool).length} arguments is required or has a default; a model may omit all of them`,
        fix: 'require the arguments the tool needs, and set defaults for the others',
      })),
}
