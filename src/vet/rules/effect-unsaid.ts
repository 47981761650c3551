import type { Rule } from '../finding.js'
import { inTool } from '../surface.js'

export const effectUnsaid: Rule = {
  id: 'effect-unsaid',
  group: 'safety',
  severity: 'warning',
  about: 'Tools that do not say what they do to the world: hosts take the worst.',
  check: ({ tools }) =>
    tools
      .filter(
        ({ annotations }) => annotations?.readOnlyHint === undefined && annotations?.destructiveHint === undefined,
      )
      .map((tool) => ({
        where: inTool(tool),
        what: 'it does not say whether it reads or writes',
        mend: 'give its effect: read, add, change or remove',
      })),
}
