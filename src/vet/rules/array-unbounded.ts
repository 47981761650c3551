import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

export const arrayUnbounded: Rule = {
  id: 'array-unbounded',
  group: 'schemas',
  severity: 'note',
  about: 'List parameters without a maximum length.',
  check: (snapshot) =>
    inInputs(snapshot, ({ type, maxItems, prefixItems }) =>
      type === 'array' && maxItems === undefined && prefixItems === undefined ? true : undefined,
    ).map(({ tool, path }) => ({
      location: placeIn(tool, path),
      problem: 'the list has no maximum length, so a model may send thousands of items',
      fix: 'set maxItems',
    })),
}
