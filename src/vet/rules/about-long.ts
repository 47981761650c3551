import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

const most = 1024

export const aboutLong: Rule = {
  id: 'about-long',
  group: 'words',
  severity: 'warning',
  about: 'Descriptions that hosts may cut.',
  check: ({ tools }) =>
    tools
      .filter(({ description = '' }) => description.length > most)
      .map((tool) => ({
        where: inTool(tool),
        what: `its description has ${tool.description?.length} characters; what is beyond ${most} may be cut`,
        mend: 'put the first things first, and the rest into the parameters or a resource',
      })),
}
