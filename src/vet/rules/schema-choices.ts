import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

const most = 100

export const schemaChoices: Rule = {
  id: 'schema-choices',
  group: 'schemas',
  severity: 'warning',
  about: 'Enums so long that chat endpoints reject them.',
  check: (snapshot) =>
    inInputs(snapshot, ({ enum: choices }) =>
      Array.isArray(choices) && choices.length > most ? choices.length : undefined,
    ).map(({ tool, path, found }) => ({
      location: placeIn(tool, path),
      problem: `the enum has ${found} values; chat endpoints reject enums of that length`,
      fix: 'accept a string, check it in the tool, and offer a second tool to look values up',
    })),
}
