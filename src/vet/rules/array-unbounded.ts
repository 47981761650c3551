import type { Rule } from '../finding.js'
import { inInputs, placeIn } from '../surface.js'

export const arrayUnbounded: Rule = {
  id: 'array-unbounded',
  group: 'schemas',
  severity: 'note',
  about: 'Lists without an end, of which a model may send any number.',
  check: (surface) =>
    inInputs(surface, ({ type, maxItems, prefixItems }) =>
      type === 'array' && maxItems === undefined && prefixItems === undefined ? true : undefined,
    ).map(({ tool, path }) => ({
      where: placeIn(tool, path),
      what: 'it is a list of any length',
      mend: 'give maxItems',
    })),
}
