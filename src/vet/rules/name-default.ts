import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

export const nameDefault: Rule = {
  id: 'name-default',
  group: 'words',
  severity: 'error',
  about: 'Placeholder names: tool1, my_tool, example.',
  check: ({ tools }) =>
    tools
      .filter(({ name }) =>
        /^(my|new|a)?[_-]?(tool|function|func|fn|example|sample|demo|test|foo|bar|untitled|unnamed|hello)([_-]?(world|tool))?[_-]?\d*$/i.test(
          name,
        ),
      )
      .map((tool) => ({
        location: inTool(tool),
        problem: `the name "${tool.name}" is a placeholder`,
        fix: 'use a name that describes what the tool does',
      })),
}
