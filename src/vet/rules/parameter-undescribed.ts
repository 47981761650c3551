import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'

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
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'it has no description, so a model has to guess the value',
          fix: 'describe the value, with an example',
        })),
    ),
}
