import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

const most = 44

export const nameLong: Rule = {
  id: 'name-long',
  group: 'words',
  severity: 'warning',
  about: 'Names that are cut or refused once a host has put its own prefix before them.',
  check: ({ tools }) =>
    tools
      .filter(({ name }) => name.length > most)
      .map((tool) => ({
        where: inTool(tool),
        what: `the name has ${tool.name.length} characters; endpoints for chat take 64 with the prefix of the host`,
        mend: `keep it to ${most}`,
        ...(tool.name.length > 64 ? { severity: 'error' as const } : {}),
      })),
}
