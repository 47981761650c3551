import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { alike } from '../wording.js'

export const aboutCopied: Rule = {
  id: 'about-copied',
  group: 'words',
  severity: 'error',
  about: 'Tools with the same description.',
  check: ({ tools }) =>
    alike(
      tools.filter(({ description }) => description?.trim()),
      ({ description = '' }) => description.trim().toLowerCase(),
    ).map((group) => ({
      location: group.map(inTool).join(' and '),
      problem: 'the descriptions are the same, so a model cannot tell them apart',
      fix: 'describe how the tools differ',
    })),
}
