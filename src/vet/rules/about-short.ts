import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { wordsIn } from '../wording.js'

export const aboutShort: Rule = {
  id: 'about-short',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions of a word or two.',
  check: ({ tools }) =>
    tools
      .filter(({ description = '' }) => description.trim() !== '' && wordsIn(description).length < 3)
      .map((tool) => ({
        location: inTool(tool),
        problem: `the description is only ${JSON.stringify(tool.description)}, which says too little to pick the tool`,
        fix: 'describe what the tool does, to what, and what it returns',
      })),
}
