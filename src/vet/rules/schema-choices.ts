import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../surface.js'

const most = 100

export const schemaChoices: Rule = {
  id: 'schema-choices',
  group: 'schemas',
  severity: 'warning',
  about: 'Enums so long that chat endpoints reject them.',
  check: (surface) =>
    inInputs(surface, ({ enum: choices }) =>
      Array.isArray(choices) && choices.length > most ? choices.length : undefined,
    ).map(({ tool, path, found }) => ({
      where: placeIn(tool, path),
      what: `the enum has ${found} values`,
      fix: 'accept a string, check it in the tool, and offer a second tool to look values up',
    })),
}
