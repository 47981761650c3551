import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../surface.js'

export const parameterUndescribed: Rule = {
  id: 'parameter-undescribed',
  group: 'words',
  severity: 'warning',
  about: 'Parameters without a description.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(([, { description }]) => typeof description !== 'string' || description.trim() === '')
        .map(([name]) => ({
          where: `${inTool(tool)}, parameter ${name}`,
          what: 'it has no description',
          fix: 'describe the value, with an example',
        })),
    ),
}
