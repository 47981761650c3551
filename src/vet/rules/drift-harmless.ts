import { contractOf, driftBetween } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftHarmless: Rule = {
  id: 'drift-harmless',
  group: 'schemas',
  severity: 'note',
  about: 'Changes since the contract was saved that no caller would notice.',
  check: (surface) =>
    surface.contract
      ? driftBetween(surface.contract, contractOf(surface))
          .filter(({ isBreaking }) => !isBreaking)
          .map(({ where, what }) => ({ where, what, mend: 'take it over with jexo vet --save' }))
      : [],
}
