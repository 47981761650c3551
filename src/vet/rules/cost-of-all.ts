import { forModel } from '../../protocol/ui.js'
import type { Rule } from '../finding.js'

const most = 10_000

export const costOfAll: Rule = {
  id: 'cost-of-all',
  group: 'size',
  severity: 'warning',
  about: "Tools that together use much of a model's context.",
  check: ({ tools: all, costs }) => {
    const tools = forModel(all)
    const sum = tools.reduce((total, { name }) => total + (costs[name] ?? 0), 0)
    return sum > most
      ? [
          {
            location: 'tools',
            problem: `${tools.length} ${tools.length === 1 ? 'tool' : 'tools'}, about ${sum} tokens of context in every conversation`,
            fix: 'serve fewer tools (--only), or use a catalogue',
          },
        ]
      : []
  },
}
