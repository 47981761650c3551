import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

const most = 5

export const schemaDeep: Rule = {
  id: 'schema-deep',
  group: 'schemas',
  severity: 'warning',
  about: 'Inputs nested deeper than some chat endpoints accept.',
  check: (snapshot) =>
    inInputs(snapshot, (_, depth) => (depth === most + 1 ? depth : undefined)).map(({ tool, path, found }) => ({
      location: placeIn(tool, path),
      problem: `the input is nested ${found} levels deep; some chat endpoints accept ${most}`,
      fix: 'flatten it, or split the tool',
    })),
}
