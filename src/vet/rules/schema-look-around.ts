import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../surface.js'

export const schemaLookAround: Rule = {
  id: 'schema-look-around',
  group: 'schemas',
  severity: 'warning',
  about: 'Patterns with look-around, which many engines cannot read.',
  check: (surface) =>
    inInputs(surface, ({ pattern }) =>
      typeof pattern === 'string' && /\(\?[=!<]/.test(pattern) ? pattern : undefined,
    ).map(({ tool, path, found }) => ({
      where: placeIn(tool, path),
      what: `the pattern ${found} uses look-around`,
      fix: 'rewrite it without (?=, (?! and (?<',
    })),
}
