import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

export const aboutMissing: Rule = {
  id: 'about-missing',
  group: 'words',
  severity: 'error',
  about: 'Tools without a description: a model chooses by it.',
  check: ({ tools }) =>
    tools
      .filter(({ description }) => !description?.trim())
      .map((tool) => ({
        where: inTool(tool),
        what: 'it has no description',
        fix: 'describe in a sentence what the tool does and returns',
      })),
}
