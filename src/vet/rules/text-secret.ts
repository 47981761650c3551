import type { Rule } from '../finding.js'
import { textsOf } from '../texts.js'

const secrets = [
  { what: 'a private key', pattern: /-----BEGIN [A-Z ]*PRIVATE KEY-----/ },
  { what: 'a signed token', pattern: /\beyJ[\w-]{10,}\.[\w-]{10,}\.[\w-]{10,}/ },
  { what: 'an access key', pattern: /\b(AKIA|ASIA)[A-Z0-9]{16}\b/ },
  { what: 'an API key', pattern: /\b(sk|pk|rk|ghp|gho|glpat|xox[abp])[-_][\w-]{16,}/ },
  { what: 'a password in a URL', pattern: /\b[a-z][a-z0-9+.-]*:\/\/[^\s:/@]+:[^\s:/@]{3,}@/i },
  {
    what: 'a password',
    pattern: /\b(password|passwd|secret|api[_-]?key|token)\s*[=:]\s*["']?(?=[^\s"']*\d)[\w!#$%&*+./-]{10,}/i,
  },
]

export const textSecret: Rule = {
  id: 'text-secret',
  group: 'safety',
  severity: 'error',
  about: 'Secrets in what every host and model gets to read.',
  check: (surface) =>
    textsOf(surface).flatMap(({ where, text }) => {
      const found = secrets.find(({ pattern }) => pattern.test(text))
      return found
        ? [
            {
              where,
              what: `it holds what looks like ${found.what}`,
              mend: 'take it out, change the secret, and declare it as a setting',
            },
          ]
        : []
    }),
}
