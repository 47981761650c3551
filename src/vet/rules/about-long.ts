import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

const most = 1024

export const aboutLong: Rule = {
  id: 'about-long',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions so long that hosts may truncate them.',
  check: ({ tools }) =>
    tools
      .filter(({ description = '' }) => description.length > most)
      .map((tool) => ({
        location: inTool(tool),
        problem: `the description has ${tool.description?.length} characters; hosts may truncate it after ${most}`,
        fix: 'put the essential part first, and move details to the parameters or a resource',
      })),
}
