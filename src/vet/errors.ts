import { JexoError } from '../errors.js'

export const vetErrors = {
  vetSettings: (file: string, reason: string) =>
    new JexoError(
      'vet-settings',
      reason,
      'write them as {"jexo": {"vet": {"<rule>": {"as": "off", "reason": "…"}}}}; jexo vet --rules names them',
      file,
    ),
  contractUnreadable: (file: string, reason: string) =>
    new JexoError(
      'contract-unreadable',
      `it is not a valid contract (${reason})`,
      'save a new one with jexo vet --save',
      file,
    ),
}
