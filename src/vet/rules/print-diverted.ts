import type { Rule } from '../finding.js'

export const printDiverted: Rule = {
  id: 'print-diverted',
  group: 'wire',
  severity: 'warning',
  about: 'Output on stdout while the kit loads.',
  check: ({ diverted = [] }) =>
    diverted.map((print) => ({
      location: 'stdout',
      problem: `${print} writes to stdout; Jexo diverts it to stderr, since it would break stdio hosts`,
      fix: 'use console.error, or call.log',
    })),
}
