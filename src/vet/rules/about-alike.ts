import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { likeness, tellingWords } from '../wording.js'

export const aboutAlike: Rule = {
  id: 'about-alike',
  group: 'words',
  severity: 'warning',
  about: 'Tools whose descriptions are hard to tell apart.',
  check: ({ tools }) => {
    const said = tools.map(({ description = '' }) => ({
      text: description.trim().toLowerCase(),
      words: tellingWords(description),
    }))
    return tools.flatMap((one, at) =>
      tools.slice(at + 1).flatMap((other, ahead) => {
        const [a, b] = [said[at], said[at + 1 + ahead]]
        if (!a || !b || a.text === b.text || Math.min(a.words.size, b.words.size) < 3) return []
        const share = likeness(a.words, b.words)
        if (share < 0.8) return []
        return [
          {
            location: `${inTool(one)} and ${inTool(other)}`,
            problem: `the descriptions share ${Math.round(share * 100)} % of their words, so a model may pick the wrong tool`,
            fix: 'begin each description with the difference',
          },
        ]
      }),
    )
  },
}
