import type { Rule } from '../finding.js'

export const strayOutput: Rule = {
  id: 'stray-output',
  group: 'wire',
  severity: 'error',
  about: 'Output on stdout that is no message, which breaks hosts on stdio.',
  check: ({ strays = [] }) =>
    strays.slice(0, 5).map((line) => ({
      where: 'stdout',
      what: `it prints ${JSON.stringify(line.slice(0, 80))} where only messages belong`,
      mend: 'print to stderr; jexo serve keeps its own prints away, a program that it starts needs stdio: ["ignore", 2, 2], or "pipe"',
    })),
}
