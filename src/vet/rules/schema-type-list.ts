import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

export const schemaTypeList: Rule = {
  id: 'schema-type-list',
  group: 'schemas',
  severity: 'warning',
  about: 'Lists of types, which some chat endpoints reject.',
  check: (snapshot) =>
    inInputs(snapshot, ({ type }) => (Array.isArray(type) ? type.map(String) : undefined)).map(
      ({ tool, path, found }) => ({
        location: placeIn(tool, path),
        problem: `the type is ${found.join(' or ')}; some chat endpoints accept only a single type`,
        fix: found.includes('null') ? 'make the value optional instead of nullable' : 'use a single type, or anyOf',
      }),
    ),
}
