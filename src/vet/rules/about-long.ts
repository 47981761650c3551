import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

const most = 1024

export const aboutLong: Rule = {
  id: 'about-long',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions so long that hosts may cut them.',
  check: ({ tools }) =>
    tools
      .filter(({ description = '' }) => description.length > most)
      .map((tool) => ({
        location: inTool(tool),
        problem: `the description has ${tool.description?.length} characters; hosts may cut it after ${most}`,
        fix: 'put the essential part first, and details into the parameters or a resource',
      })),
}
