import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'
import { alike, normalised } from '../wording.js'

export const nameCollision: Rule = {
  id: 'name-collision',
  group: 'words',
  severity: 'error',
  about: 'Names that are the same where hosts fold case and signs.',
  check: ({ tools }) =>
    alike(tools, ({ name }) => normalised(name)).map((group) => ({
      where: group.map(inTool).join(' and '),
      what: 'hosts that fold case and signs see one name',
      mend: 'name them apart by words',
    })),
}
