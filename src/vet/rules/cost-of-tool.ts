import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

const most = 1000

export const costOfTool: Rule = {
  id: 'cost-of-tool',
  group: 'size',
  severity: 'warning',
  about: "Tools that each use much of a model's context.",
  check: ({ tools, costs }) =>
    tools
      .filter(({ name }) => (costs[name] ?? 0) > most)
      .map((tool) => ({
        location: inTool(tool),
        problem: `about ${costs[tool.name]} tokens of context in every conversation`,
        fix: 'shorten descriptions and choices, or split the tool',
      })),
}
