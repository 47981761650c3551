import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../surface.js'
import { wordsIn } from '../wording.js'

const commands = new Set('command cmd shell bash script snippet sql eval expression'.split(' '))

export const commandParameter: Rule = {
  id: 'command-parameter',
  group: 'safety',
  severity: 'error',
  about: 'Commands and code that a model may choose freely.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(
          ([name, { type, pattern, enum: choices }]) =>
            type === 'string' && !pattern && !choices && wordsIn(name).some((word) => commands.has(word)),
        )
        .map(([name]) => ({
          where: `${inTool(tool)}, parameter ${name}`,
          what: 'what is given is run',
          mend: 'make a tool of each thing that may be done, or confine what runs it',
          ...(tool.annotations?.readOnlyHint === true ? { severity: 'warning' as const } : {}),
        })),
    ),
}
