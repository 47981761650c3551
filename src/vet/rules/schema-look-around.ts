import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../snapshot.js'

export const schemaLookAround: Rule = {
  id: 'schema-look-around',
  group: 'schemas',
  severity: 'warning',
  about: 'Patterns with look-around, which many engines cannot read.',
  check: (snapshot) =>
    inInputs(snapshot, ({ pattern }) =>
      typeof pattern === 'string' && /\(\?[=!<]/.test(pattern) ? pattern : undefined,
    ).map(({ tool, path, found }) => ({
      location: placeIn(tool, path),
      problem: `the pattern ${found} uses look-around, which many engines reject`,
      fix: 'rewrite it without (?=, (?! and (?<',
    })),
}
