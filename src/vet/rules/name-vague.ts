import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const vague = new Set(
  'run execute exec process handle do perform call invoke use query predict get set fetch send data action function func tool main helper util api request operation op task it'.split(
    ' ',
  ),
)

export const nameVague: Rule = {
  id: 'name-vague',
  group: 'words',
  severity: 'error',
  about: 'Vague names: never picked, or picked for everything.',
  check: ({ tools }) =>
    tools
      .filter(({ name }) => wordsIn(name).every((word) => vague.has(word)))
      .map((tool) => ({
        location: inTool(tool),
        problem: `the name "${tool.name}" does not say what the tool does`,
        fix: 'use a verb and its object, such as weigh_hive',
      })),
}
