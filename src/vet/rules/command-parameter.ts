import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const commands = new Set('command cmd shell bash script snippet sql eval expression'.split(' '))

export const commandParameter: Rule = {
  id: 'command-parameter',
  group: 'safety',
  severity: 'error',
  about: 'Parameters that accept any command or code.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(
          ([name, { type, pattern, enum: choices }]) =>
            type === 'string' && !pattern && !choices && wordsIn(name).some((word) => commands.has(word)),
        )
        .map(([name]) => ({
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'the value is executed as code',
          fix: 'offer one tool per permitted action, or run the code in a sandbox',
          ...(tool.annotations?.readOnlyHint === true ? { severity: 'warning' as const } : {}),
        })),
    ),
}
