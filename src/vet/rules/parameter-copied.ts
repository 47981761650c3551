import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'
import { alike } from '../wording.js'

export const parameterCopied: Rule = {
  id: 'parameter-copied',
  group: 'words',
  severity: 'warning',
  about: 'Parameters of a tool with the same description.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      alike(
        parametersOf(tool).filter(
          ([, { description }]) => typeof description === 'string' && description.trim() !== '',
        ),
        ([, { description }]) => String(description).trim().toLowerCase(),
      ).map((group) => ({
        location: `${inTool(tool)}, parameters ${group.map(([name]) => name).join(' and ')}`,
        problem: 'the descriptions are the same, so a model cannot tell them apart',
        fix: 'describe how each differs',
      })),
    ),
}
