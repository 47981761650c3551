import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../surface.js'

export const schemaLookAround: Rule = {
  id: 'schema-look-around',
  group: 'schemas',
  severity: 'warning',
  about: 'Patterns that not every machine can read.',
  check: (surface) =>
    inInputs(surface, ({ pattern }) =>
      typeof pattern === 'string' && /\(\?[=!<]/.test(pattern) ? pattern : undefined,
    ).map(({ tool, path, found }) => ({
      where: placeIn(tool, path),
      what: `the pattern ${found} looks around`,
      mend: 'write it without (?=, (?! and (?<',
    })),
}
