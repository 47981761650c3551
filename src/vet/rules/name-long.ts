import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

const most = 44

export const nameLong: Rule = {
  id: 'name-long',
  group: 'words',
  severity: 'warning',
  about: 'Names so long that hosts cut or reject them with their prefix.',
  check: ({ tools }) =>
    tools
      .filter(({ name }) => name.length > most)
      .map((tool) => ({
        location: inTool(tool),
        problem: `the name has ${tool.name.length} characters; chat endpoints accept 64, including the host's prefix`,
        fix: `use at most ${most} characters`,
        ...(tool.name.length > 64 ? { severity: 'error' as const } : {}),
      })),
}
