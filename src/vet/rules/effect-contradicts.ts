import type { Rule } from '../finding.js'
import { inTool } from '../snapshot.js'
import { wordsIn } from '../wording.js'

const writing = new Set(
  'add create insert write update set change edit modify move rename delete remove drop clear purge destroy reset send post publish upload cancel archive register record book order pay transfer install'.split(
    ' ',
  ),
)
/** Verbs that are never nouns, which count in any position, as in `hive_delete`. */
const onlyVerbs = new Set(
  'add create write edit modify rename delete remove purge destroy upload cancel install publish'.split(' '),
)
/** After a noun, one of these forms a compound noun: `order_status` is a status. */
const nouns = new Set(
  'status state count counts list lists history info details detail id ids name names number total totals date dates time type types log logs stats statistics summary overview report reports schema size price prices items entries options settings points code codes search lookup'.split(
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
      const [first = ''] = words
      const writes = writtenBy(words)
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

/** The verb in a name that implies a change; undefined if there is none. */
function writtenBy(words: readonly string[]): string | undefined {
  const [first = '', second = ''] = words
  if (onlyVerbs.has(first) || (writing.has(first) && !nouns.has(second))) return first
  // `get_and_delete`, `hive_delete`; but `record_added` describes a past event.
  return words.find((word, at) => at > 0 && (onlyVerbs.has(word) || (words[at - 1] === 'and' && writing.has(word))))
}
