import type { Rule } from '../finding.js'

export const strayOutput: Rule = {
  id: 'stray-output',
  group: 'wire',
  severity: 'error',
  about: 'Output on stdout that is not a message, which breaks stdio hosts.',
  check: ({ strays = [] }) =>
    strays.slice(0, 5).map((line) => ({
      location: 'stdout',
      problem: `it writes ${JSON.stringify(line.slice(0, 80))} to stdout, where only messages are allowed`,
      fix: 'write to stderr; start child programs with stdio: ["ignore", 2, 2] or "pipe"',
    })),
}
