import { contractOf, driftBetween } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftBreaking: Rule = {
  id: 'drift-breaking',
  group: 'schemas',
  severity: 'error',
  about: 'Changes since the contract was saved that callers would notice.',
  check: (surface) =>
    surface.contract
      ? driftBetween(surface.contract, contractOf(surface))
          .filter(({ isBreaking }) => isBreaking)
          .map(({ where, what }) => ({
            where,
            what,
            mend: 'put it back, or take the new contract over with jexo vet --save and a new major version',
          }))
      : [],
}
