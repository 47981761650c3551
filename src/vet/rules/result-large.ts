import type { Rule } from '../finding.js'

const most = 8000

export const resultLarge: Rule = {
  id: 'result-large',
  group: 'size',
  severity: 'warning',
  about: 'Results in recorded cases that are too large for a model.',
  check: ({ results = [] }) =>
    results
      .filter(({ tokens }) => tokens > most)
      .map(({ case: file, step, tokens }) => ({
        location: `${file}, ${step}`,
        problem: `the result is about ${tokens} tokens`,
        fix: 'return pages, a summary, or a link to a resource',
      })),
}
