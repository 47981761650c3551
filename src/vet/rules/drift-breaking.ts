import { diffContracts, toContract } from '../contract.js'
import type { Rule } from '../finding.js'

export const driftBreaking: Rule = {
  id: 'drift-breaking',
  group: 'schemas',
  severity: 'error',
  about: 'Breaking changes since the contract was saved.',
  check: (snapshot) =>
    snapshot.contract
      ? diffContracts(snapshot.contract, toContract(snapshot))
          .filter(({ isBreaking }) => isBreaking)
          .map(({ where, what }) => ({
            location: where,
            problem: what,
            fix: 'undo the change, or release a new major version and save the contract with jexo vet --save',
          }))
      : [],
}
