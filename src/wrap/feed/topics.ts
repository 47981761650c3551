import { feedErrors } from './errors.js'

/** A topic with variables: `scales/{hive}/weight` matches the topic of each hive. */
export interface TopicPattern {
  readonly text: string
  readonly variables: readonly string[]
  /** As an MQTT topic filter: `scales/+/weight`. */
  readonly filter: string
  /** The variables of a topic, without percent-decoding; undefined if it does not match. */
  match(topic: string): Readonly<Record<string, string>> | undefined
}

/**
 * Parses a pattern: `scales/{hive}/weight`, or in MQTT syntax `scales/+/weight` and `scales/#`, whose variables get
 * names. Throws a `JexoError` if a variable is not a whole level, occurs twice, or `#` is not last.
 */
export function topicPattern(given: string): TopicPattern {
  const text = withNames(given)
  const levels = text.split('/')
  const variables = levels.flatMap((level) => variableOf(level) ?? [])
  const isWhole = levels.every((level) => variableOf(level) !== undefined || !/[{}+#]/.test(level))
  const isOpen = given.endsWith('#')
  if (given === '' || !isWhole || new Set(variables).size < variables.length)
    throw feedErrors.topicUnreadable(given)
  return Object.freeze({
    text,
    variables,
    filter: levels
      .map((level, at) =>
        variableOf(level) === undefined ? level : isOpen && at === levels.length - 1 ? '#' : '+',
      )
      .join('/'),
    match(topic: string) {
      const all = topic.split('/')
      const last = levels.length - 1
      // In MQTT, `scales/#` matches `scales` itself too.
      const levelsGiven = isOpen ? [...all.slice(0, last), all.slice(last).join('/')] : all
      if (levelsGiven.length !== levels.length || (isOpen && all.length < levels.length)) return undefined
      const found: Record<string, string> = {}
      for (const [at, level] of levels.entries()) {
        const name = variableOf(level)
        if (name !== undefined) found[name] = levelsGiven[at] ?? ''
        else if (level !== levelsGiven[at]) return undefined
      }
      return found
    },
  })
}

/** A name as one level of a topic: separators and wildcards are escaped. */
export const topicLevel = (name: string): string => name.slice(0, 200).replace(/[%/+#{}]/g, encodeURIComponent)

const variableOf = (level: string): string | undefined => /^\{(\w+)\}$/.exec(level)?.[1]

/** `scales/+/weight` → `scales/{scale}/weight`, `scales/#` → `scales/{rest}`. */
function withNames(text: string): string {
  const levels = text.split('/')
  const taken = new Set(levels.flatMap((level) => variableOf(level) ?? []))
  return levels
    .map((level, at) => {
      if (level !== '+' && !(level === '#' && at === levels.length - 1)) return level
      const before = levels[at - 1]
      const isBare = before === undefined || before === '+' || variableOf(before) !== undefined
      const name = variableName(level === '#' ? 'rest' : isBare ? 'name' : before, taken)
      taken.add(name)
      return `{${name}}`
    })
    .join('/')
}

/** Placeholder for a level that differs between similar topics; no topic can contain it. */
const varying = '+'
/** More names than this at one level are names of things, whatever they look like. */
const manyNames = 10
/** Maximum depth of topics that are merged, and maximum number of rounds. */
const maxLevels = 20
const maxRounds = 8

/** Patterns for observed topics: a level that differs between similar topics becomes a variable. */
export function patternsOf(topics: readonly string[]): string[] {
  const all = [...new Set(topics)].map((topic) => topic.split('/'))
  const deep = all.filter((levels) => levels.length > maxLevels)
  let patterns = withNumbered(all.filter((levels) => levels.length <= maxLevels))
  for (let [round, isMerged] = [0, true]; isMerged && round < maxRounds; round++) {
    const before = patterns.length
    const deepest = Math.max(0, ...patterns.map((levels) => levels.length))
    for (let at = 0; at < deepest; at++) patterns = mergedAt(patterns, at)
    isMerged = patterns.length < before
  }
  return [...patterns, ...deep].map(named)
}

/** Merges topics that differ in numbered names between their ends, in any number of levels. */
function withNumbered(topics: readonly string[][]): string[][] {
  const groups = new Map<string, string[][]>()
  for (const levels of topics) {
    const isBetween = (at: number) => at > 0 && at < levels.length - 1
    const key = levels.map((level, at) => (isBetween(at) && /\d/.test(level) ? varying : level)).join('/')
    const group = groups.get(key)
    if (group) group.push(levels)
    else groups.set(key, [levels])
  }
  return [...groups.values()].map(([first = [], ...others]) =>
    first.map((level, at) => (others.every((levels) => levels[at] === level) ? level : varying)),
  )
}

/** Merges topics that differ in one level only. */
function mergedAt(patterns: readonly string[][], at: number): string[][] {
  const groups = new Map<string, string[][]>()
  for (const levels of patterns) {
    const key =
      levels.length > at
        ? levels.map((level, other) => (other === at ? varying : level)).join('/')
        : levels.join('/')
    const group = groups.get(key)
    if (group) group.push(levels)
    else groups.set(key, [levels])
  }
  return [...groups.values()].flatMap((group) => {
    const [first = []] = group
    const names = [...new Set(group.map((levels) => levels[at] ?? ''))]
    return names.length > 1 && isVariable(names, at, first.length)
      ? [first.map((level, other) => (other === at ? varying : level))]
      : group
  })
}

/** The first and the last level name the subject of a topic, unless they are numbered or many. */
function isVariable(names: readonly string[], at: number, levels: number): boolean {
  const isBetween = at > 0 && at < levels - 1
  return isBetween || names.includes(varying) || names.length >= manyNames || names.every((name) => /\d/.test(name))
}

function named(levels: readonly string[]): string {
  const names = new Set<string>()
  return levels
    .map((level, at) => {
      if (level !== varying) return level.replace(/[{}]/g, '')
      const before = levels[at - 1]
      const name = variableName(before === undefined || before === varying ? 'name' : before, names)
      names.add(name)
      return `{${name}}`
    })
    .join('/')
}

/** `scales/ML-04` matches `{scale}`. */
function variableName(before: string, taken: ReadonlySet<string>): string {
  const word =
    before
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '_')
      .replace(/^(\d)/, '_$1') || 'name'
  const isPlural = word.length > 3 && word.endsWith('s') && !/(ss|us|is)$/.test(word)
  const single = isPlural ? word.replace(/(?<=x|ch|sh|ss)es$|s$/, '') : word
  return taken.has(single) ? `${single}_${taken.size + 1}` : single
}
