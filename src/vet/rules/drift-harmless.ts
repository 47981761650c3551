import { diffContracts, toContract } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftHarmless: Rule = {
  id: 'drift-harmless',
  group: 'schemas',
  severity: 'note',
  about: 'Compatible changes since the contract was saved.',
  check: (surface) =>
    surface.contract
      ? diffContracts(surface.contract, toContract(surface))
          .filter(({ isBreaking }) => !isBreaking)
          .map(({ where, what }) => ({
            location: where,
            problem: what,
            fix: 'update the contract with jexo vet --save',
          }))
      : [],
}
