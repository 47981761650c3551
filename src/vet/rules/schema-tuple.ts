import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

export const schemaTuple: Rule = {
  id: 'schema-tuple',
  group: 'schemas',
  severity: 'warning',
  about: 'Tuples, which some chat endpoints reject.',
  check: (snapshot) =>
    inInputs(snapshot, ({ prefixItems }) => (Array.isArray(prefixItems) ? prefixItems.length : undefined)).map(
      ({ tool, path, found }) => ({
        location: placeIn(tool, path),
        problem: `the list is a tuple of ${found} items (prefixItems); some chat endpoints reject tuples`,
        fix: 'use an object with named fields',
      }),
    ),
}
