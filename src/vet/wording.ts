/** Words of a name or a text in lower case, for comparison. */
export const wordsIn = (text: string): string[] =>
  text
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)

/** Words without distinguishing meaning. */
const small = new Set(
  'a an the of for to in on at by with and or from is are be it its this that one all given'.split(' '),
)

export const tellingWords = (text: string): Set<string> => new Set(wordsIn(text).filter((word) => !small.has(word)))

/** Overlap of two sets of words, from 0 to 1. */
export function likeness(one: ReadonlySet<string>, other: ReadonlySet<string>): number {
  let shared = 0
  for (const word of one) if (other.has(word)) shared++
  return shared / (one.size + other.size - shared || 1)
}

/** A name as written by hosts that allow fewer characters. */
export const normalised = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]+/g, '_')

/** Groups of items with the same key, if they have several. */
export function alike<T>(items: readonly T[], keyOf: (item: T) => string): T[][] {
  const groups = new Map<string, T[]>()
  for (const item of items) groups.set(keyOf(item), [...(groups.get(keyOf(item)) ?? []), item])
  return [...groups.values()].filter((group) => group.length > 1)
}
