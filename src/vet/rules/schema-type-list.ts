import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

export const schemaTypeList: Rule = {
  id: 'schema-type-list',
  group: 'schemas',
  severity: 'warning',
  about: 'Lists of types, which some chat endpoints reject.',
  check: (surface) =>
    inInputs(surface, ({ type }) => (Array.isArray(type) ? type.map(String) : undefined)).map(
      ({ tool, path, found }) => ({
        location: placeIn(tool, path),
        problem: `the type is ${found.join(' or ')}`,
        fix: found.includes('null') ? 'leave it out instead of giving null' : 'decide for one, or use anyOf',
      }),
    ),
}
