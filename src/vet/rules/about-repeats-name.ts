import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { tellingWords, wordsIn } from '../wording.js'

export const aboutRepeatsName: Rule = {
  id: 'about-repeats-name',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions that only repeat the name.',
  check: ({ tools }) =>
    tools
      .filter(({ name, description = '' }) => {
        const said = tellingWords(description)
        const named = new Set(wordsIn(name))
        return said.size > 0 && [...said].every((word) => named.has(word) || named.has(word.replace(/s$/, '')))
      })
      .map((tool) => ({
        location: inTool(tool),
        problem: 'the description only repeats the name',
        fix: 'describe the result, its units, and when to use the tool',
      })),
}
