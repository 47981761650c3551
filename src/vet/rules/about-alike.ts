import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'
import { likeness, tellingWords } from '../wording.js'

export const aboutAlike: Rule = {
  id: 'about-alike',
  group: 'words',
  severity: 'warning',
  about: 'Tools that a reader could not tell apart by their descriptions.',
  check: ({ tools }) =>
    tools.flatMap((one, at) =>
      tools.slice(at + 1).flatMap((other) => {
        const [a = '', b = ''] = [one.description, other.description]
        if (
          a.trim().toLowerCase() === b.trim().toLowerCase() ||
          Math.min(tellingWords(a).size, tellingWords(b).size) < 3
        )
          return []
        const share = likeness(a, b)
        if (share < 0.8) return []
        return [
          {
            where: `${inTool(one)} and ${inTool(other)}`,
            what: `their descriptions share ${Math.round(share * 100)} % of their words`,
            mend: 'put what sets each apart first',
          },
        ]
      }),
    ),
}
