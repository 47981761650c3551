import { diffContracts, toContract } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftHarmless: Rule = {
  id: 'drift-harmless',
  group: 'schemas',
  severity: 'note',
  about: 'Compatible changes since the contract was saved.',
  check: (snapshot) =>
    snapshot.contract
      ? diffContracts(snapshot.contract, toContract(snapshot))
          .filter(({ isBreaking }) => !isBreaking)
          .map(({ where, what }) => ({
            location: where,
            problem: what,
            fix: 'update the contract with jexo vet --save',
          }))
      : [],
}
