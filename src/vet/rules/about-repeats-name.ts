import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'
import { tellingWords, wordsIn } from '../wording.js'

export const aboutRepeatsName: Rule = {
  id: 'about-repeats-name',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions that only say the name again.',
  check: ({ tools }) =>
    tools
      .filter(({ name, description = '' }) => {
        const said = tellingWords(description)
        const named = new Set(wordsIn(name))
        return said.size > 0 && [...said].every((word) => named.has(word) || named.has(word.replace(/s$/, '')))
      })
      .map((tool) => ({
        where: inTool(tool),
        what: 'its description says no more than its name',
        mend: 'say what it gives, in which units, and when it is of use',
      })),
}
