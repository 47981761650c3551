import type { Rule } from '../finding.js'

const most = 10_000

export const costOfAll: Rule = {
  id: 'cost-of-all',
  group: 'size',
  severity: 'warning',
  about: "Lists of tools that cost much of a model's context in all.",
  check: ({ tools, costs }) => {
    const sum = tools.reduce((total, { name }) => total + (costs[name] ?? 0), 0)
    return sum > most
      ? [
          {
            where: 'tools',
            what: `all ${tools.length} together cost about ${sum} tokens in every conversation`,
            mend: 'serve fewer (--only), or a catalogue of them',
          },
        ]
      : []
  },
}
