import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

const most = 1000

export const costOfTool: Rule = {
  id: 'cost-of-tool',
  group: 'size',
  severity: 'warning',
  about: "Tools that cost much of a model's context by themselves.",
  check: ({ tools, costs }) =>
    tools
      .filter(({ name }) => (costs[name] ?? 0) > most)
      .map((tool) => ({
        where: inTool(tool),
        what: `it costs about ${costs[tool.name]} tokens of a model's context in every conversation`,
        mend: 'shorten descriptions and choices, or make two tools of it',
      })),
}
