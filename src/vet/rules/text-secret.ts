import { secretKindIn } from '../../protocol/secrets.js'
import type { Rule } from '../finding.js'
import { textsOf } from '../texts.js'

export const textSecret: Rule = {
  id: 'text-secret',
  group: 'safety',
  severity: 'error',
  about: 'Secrets in what every host and model gets to read.',
  check: (surface) =>
    textsOf(surface).flatMap(({ where, text }) => {
      const found = secretKindIn(text)
      return found
        ? [
            {
              where,
              what: `it holds what looks like ${found}`,
              mend: 'take it out, change the secret, and declare it as a setting',
            },
          ]
        : []
    }),
}
