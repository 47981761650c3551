import { contractOf, driftBetween } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftHarmless: Rule = {
  id: 'drift-harmless',
  group: 'schemas',
  severity: 'note',
  about: 'Compatible changes since the contract was saved.',
  check: (surface) =>
    surface.contract
      ? driftBetween(surface.contract, contractOf(surface))
          .filter(({ isBreaking }) => !isBreaking)
          .map(({ where, what }) => ({ where, what, fix: 'update the contract with jexo vet --save' }))
      : [],
}
