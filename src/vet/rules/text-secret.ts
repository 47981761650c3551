import { secretKindIn } from '../../protocol/secrets.js'
import type { Rule } from '../finding.js'
import { textsOf } from '../texts.js'

export const textSecret: Rule = {
  id: 'text-secret',
  group: 'safety',
  severity: 'error',
  about: 'Secrets in texts that hosts and models read.',
  check: (snapshot) =>
    textsOf(snapshot).flatMap(({ where, text }) => {
      const found = secretKindIn(text)
      return found
        ? [
            {
              location: where,
              problem: `it seems to contain ${found}`,
              fix: 'remove and replace the secret, and declare it as a setting',
            },
          ]
        : []
    }),
}
