import type { Rule } from '../finding.js'

export const printDiverted: Rule = {
  id: 'print-diverted',
  group: 'wire',
  severity: 'warning',
  about: 'Prints while a kit is loaded, which only jexo serve keeps away from stdout.',
  check: ({ diverted = [] }) =>
    diverted.map((print) => ({
      where: 'stdout',
      what: `${print} writes to stdout, which would break hosts on stdio if Jexo did not send it to stderr`,
      mend: 'print by console.error, or tell the host by call.log',
    })),
}
