import { feedErrors } from './errors.js'

/** A topic with variables: `scales/{hive}/weight` stands for one of each hive. */
export interface TopicPattern {
  readonly text: string
  readonly variables: readonly string[]
  /** As MQTT asks for it: `scales/+/weight`. */
  readonly filter: string
  /** The variables of a topic, percent-decoding nothing; undefined if it is another topic. */
  match(topic: string): Readonly<Record<string, string>> | undefined
}

/** Reads a pattern. Throws a `JexoError` if a variable is not a whole level, or stands twice. */
export function topicPattern(text: string): TopicPattern {
  const levels = text.split('/')
  const variables = levels.flatMap((level) => /^\{(\w+)\}$/.exec(level)?.[1] ?? [])
  const isWhole = levels.every((level) => /^\{\w+\}$/.test(level) || !/[{}+#]/.test(level))
  if (text === '' || !isWhole || new Set(variables).size < variables.length) throw feedErrors.topicUnreadable(text)
  return Object.freeze({
    text,
    variables,
    filter: levels.map((level) => (level.startsWith('{') ? '+' : level)).join('/'),
    match(topic: string) {
      const given = topic.split('/')
      if (given.length !== levels.length) return undefined
      const found: Record<string, string> = {}
      for (const [at, level] of levels.entries()) {
        const [, name] = /^\{(\w+)\}$/.exec(level) ?? []
        if (name !== undefined) found[name] = given[at] ?? ''
        else if (level !== given[at]) return undefined
      }
      return found
    },
  })
}

/** Patterns that topics which were seen fit: what differs between those that are alike otherwise is a variable. */
export function patternsOf(topics: readonly string[]): string[] {
  const groups = new Map<string, string[][]>()
  for (const topic of topics) {
    const levels = topic.split('/')
    const key = `${levels.length} ${levels[0]} ${levels.length > 1 ? levels.at(-1) : ''}`
    groups.set(key, [...(groups.get(key) ?? []), levels])
  }
  return [...groups.values()].map((group) => {
    const [first = []] = group
    const names = new Set<string>()
    return first
      .map((level, at) => {
        if (group.every((levels) => levels[at] === level)) return level.replace(/[{}]/g, '')
        const name = variableName(first[at - 1] ?? 'name', names)
        names.add(name)
        return `{${name}}`
      })
      .join('/')
  })
}

/** `scales/ML-04` is one of `{scale}`. */
function variableName(before: string, taken: ReadonlySet<string>): string {
  const word =
    before
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '_')
      .replace(/^(\d)/, '_$1') || 'name'
  const single = word.length > 3 && word.endsWith('s') && !word.endsWith('ss') ? word.slice(0, -1) : word
  return taken.has(single) ? `${single}_${taken.size + 1}` : single
}
