import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const writing = new Set(
  'add create insert write update set change edit modify move rename delete remove drop clear purge destroy reset send post publish upload cancel archive register record book order pay transfer install'.split(
    ' ',
  ),
)
const reading = new Set(
  'get list read find search show look count check describe explain preview estimate compare'.split(' '),
)

export const effectContradicts: Rule = {
  id: 'effect-contradicts',
  group: 'safety',
  severity: 'error',
  about: "Effects that contradict the tool's name.",
  check: ({ tools }) =>
    tools.flatMap((tool) => {
      const words = wordsIn(tool.name)
      const { readOnlyHint, destructiveHint } = tool.annotations ?? {}
      const [writes] = words.filter((word) => writing.has(word))
      const [first = ''] = words
      if (readOnlyHint === true && writes !== undefined && !reading.has(first))
        return [
          {
            location: inTool(tool),
            problem: `the effect is read, but the name is ${tool.name}`,
            fix: 'set effect to add, change or remove',
          },
        ]
      if (readOnlyHint !== true && destructiveHint === true && reading.has(first) && writes === undefined)
        return [
          {
            location: inTool(tool),
            problem: `the tool is marked destructive, but the name is ${tool.name}`,
            fix: 'set effect to read, or rename the tool',
            severity: 'warning' as const,
          },
        ]
      return []
    }),
}
