import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { alike, normalised } from '../wording.js'

export const nameCollision: Rule = {
  id: 'name-collision',
  group: 'words',
  severity: 'error',
  about: 'Names that collide in hosts that ignore case and punctuation.',
  check: ({ tools }) =>
    alike(tools, ({ name }) => normalised(name)).map((group) => ({
      location: group.map(inTool).join(' and '),
      problem: 'hosts that ignore case and punctuation see one name',
      fix: 'use names that differ in at least one word',
    })),
}
