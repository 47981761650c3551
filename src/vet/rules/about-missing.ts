import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

export const aboutMissing: Rule = {
  id: 'about-missing',
  group: 'words',
  severity: 'error',
  about: 'Tools without a description, which a model needs to choose a tool.',
  check: ({ tools }) =>
    tools
      .filter(({ description }) => !description?.trim())
      .map((tool) => ({
        location: inTool(tool),
        problem: 'it has no description, so models rarely pick it',
        fix: 'describe in a sentence what the tool does and returns',
      })),
}
