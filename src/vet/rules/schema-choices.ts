import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../surface.js'

const most = 100

export const schemaChoices: Rule = {
  id: 'schema-choices',
  group: 'schemas',
  severity: 'warning',
  about: 'Lists of choices so long that endpoints refuse them and models drown in them.',
  check: (surface) =>
    inInputs(surface, ({ enum: choices }) =>
      Array.isArray(choices) && choices.length > most ? choices.length : undefined,
    ).map(({ tool, path, found }) => ({
      where: placeIn(tool, path),
      what: `it has ${found} choices`,
      mend: 'take a text, check it in the tool, and let it be looked up by another one',
    })),
}
