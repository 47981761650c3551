import { forModel } from '../../protocol/ui.js'
import type { Rule } from '../finding.js'

const most = 40

export const toolsMany: Rule = {
  id: 'tools-many',
  group: 'size',
  severity: 'warning',
  about: 'More tools than a model can choose from reliably.',
  check: ({ tools: all }) => {
    const tools = forModel(all)
    return tools.length > most
      ? [
          {
            location: 'tools',
            problem: `there are ${tools.length} tools, more than a model can choose from reliably`,
            fix: 'serve fewer tools (--only), or use a catalogue',
          },
        ]
      : []
  },
}
