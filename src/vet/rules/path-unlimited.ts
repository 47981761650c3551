import type { Rule } from '../finding.js'
import { inTool, parametersOf } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const paths = new Set('path file filename filepath dir directory folder'.split(' '))

export const pathUnlimited: Rule = {
  id: 'path-unlimited',
  group: 'safety',
  severity: 'warning',
  about: 'Parameters that accept any path.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      parametersOf(tool)
        .filter(
          ([name, { type, pattern, enum: choices }]) =>
            type === 'string' && !pattern && !choices && wordsIn(name).some((word) => paths.has(word)),
        )
        .map(([name]) => ({
          location: `${inTool(tool)}, parameter ${name}`,
          problem: 'the path is not restricted, so a caller may reach any file',
          fix: 'set a pattern or choices, and confine paths to one folder',
        })),
    ),
}
