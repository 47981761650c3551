import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'

export const effectUnsaid: Rule = {
  id: 'effect-unsaid',
  group: 'safety',
  severity: 'warning',
  about: 'Tools without an effect: hosts assume the worst.',
  check: ({ tools }) =>
    tools
      .filter(
        ({ annotations }) => annotations?.readOnlyHint === undefined && annotations?.destructiveHint === undefined,
      )
      .map((tool) => ({
        location: inTool(tool),
        problem: 'no effect is set: hosts cannot tell whether it reads or writes',
        fix: 'set effect to read, add, change or remove',
      })),
}
