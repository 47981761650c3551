import { branded, brands } from './brand.js'
import { closestTo } from './closest.js'
import { annotationsOf, type Effect } from './effects.js'
import { kitErrors } from './errors.js'
import { globMatcher } from './glob.js'
import { checkName, type Example, keyOf, type Part, type PartExtras, type ViewPart } from './part.js'

/** Functions on arrays of parts, which choose, rename and describe wrapped parts. */

/**
 * Returns the parts with these names: URIs for resources and templates, `tag:…` for a tag; `*` matches any characters. Throws a `JexoError`
 * with the nearest names if one matches nothing.
 *
 * @example only(parts, ['weigh_*', 'tag:ledger'])
 */
export function only(parts: readonly Part[], names: readonly string[]): Part[] {
  const chosen = choose(parts, names)
  return parts.filter((part) => chosen.has(part))
}

/** Returns all parts except those with these names. */
export function except(parts: readonly Part[], names: readonly string[]): Part[] {
  const left = choose(parts, names)
  return parts.filter((part) => !left.has(part))
}

/** Returns the parts that have one of these tags. */
export function withTags(parts: readonly Part[], ...tags: string[]): Part[] {
  return parts.filter((part) => part.tags?.some((tag) => tags.includes(tag)))
}

/** Adds a prefix to the names of tools and prompts, so that two sources do not collide. */
export function withPrefix(parts: readonly Part[], prefix: string): Part[] {
  return parts.map((part) => (isNamed(part) ? withName(part, `${prefix}${part.name}`) : part))
}

/** Renames tools and prompts: `rename(parts, { getHive: 'find_hive' })`. */
export function rename(parts: readonly Part[], names: Readonly<Record<string, string>>): Part[] {
  mustExist(parts, Object.keys(names))
  return parts.map((part) => {
    const name = names[part.name]
    return isNamed(part) && name !== undefined ? withName(part, name) : part
  })
}

/** Properties of a part that `override` can change. */
export interface Override extends PartExtras {
  about?: string
  effect?: Effect
  examples?: readonly Example[]
  /** For tools: the page that shows the result, and whether pages may call the tool. */
  view?: ViewPart
  forPages?: 'too' | 'only'
}

/** Overrides descriptions and other fields of parts by name. */
export function override(parts: readonly Part[], changes: Readonly<Record<string, Override>>): Part[] {
  mustExist(parts, Object.keys(changes))
  return parts.map((part) => {
    const change = changes[keyOf(part)]
    return change === undefined ? part : remade(part, withHints(part, change))
  })
}

/** An effect replaces the hints of a wrapped server. */
function withHints(part: Part, change: Override): object {
  if (part.kind !== 'tool' || part.hints === undefined || change.effect === undefined) return change
  const { readOnlyHint: _read, destructiveHint: _destructive, idempotentHint: _idempotent, ...others } = part.hints
  return { ...change, hints: { ...others, ...annotationsOf(change.effect) } }
}

const isNamed = (part: Part) => part.kind === 'tool' || part.kind === 'prompt'

function withName(part: Part, name: string): Part {
  checkName(part.kind, name)
  return remade(part, { name })
}

function remade(part: Part, change: object): Part {
  return branded({ ...part, ...change } as Part, brands.part)
}

/** The name or URI, and the tags, by which a part can be chosen. */
export interface Choosable {
  readonly key: string
  readonly tags?: readonly string[] | undefined
  /** Other names of the part, such as a path. */
  readonly others?: readonly string[] | undefined
}
const choosable = (part: Part): Choosable => ({ key: keyOf(part), tags: part.tags })

const choose = (parts: readonly Part[], names: readonly string[]): Set<Part> => chosenFrom(parts, choosable, names)

/**
 * The items that the names, globs and tags choose. Throws a `JexoError` with the nearest names if one matches nothing.
 */
export function chosenFrom<T>(items: readonly T[], view: (item: T) => Choosable, names: readonly string[]): Set<T> {
  const chosen = new Set<T>()
  for (const name of names) {
    const matches = items.filter((item) => matcherOf(name)(view(item)))
    const keys = items.map((item) => view(item).key)
    if (matches.length === 0) throw kitErrors.partMissing(name, closestTo(name, keys))
    for (const item of matches) chosen.add(item)
  }
  return chosen
}

/** The parts that a caller selects, as in `?only=weigh_*,tag:ledger`; unknown names match nothing. */
export function narrowed(parts: readonly Part[], names: readonly string[]): Part[] {
  const matchers = names.map(matcherOf)
  return parts.filter((part) => matchers.some((matches) => matches(choosable(part))))
}

/** Names separated by commas, as on a command line. */
export const namesIn = (text: string): string[] =>
  text
    .split(',')
    .map((name) => name.trim())
    .filter(Boolean)

export function matcherOf(glob: string): (item: Choosable) => boolean {
  if (!glob.includes('*')) {
    if (glob.startsWith('tag:')) return ({ tags }) => tags?.includes(glob.slice(4)) === true
    return ({ key, others }) => key === glob || others?.includes(glob) === true
  }
  const matches = globMatcher(glob)
  return ({ key, tags, others }) =>
    matches(key) || others?.some(matches) === true || tags?.some((tag) => matches(`tag:${tag}`)) === true
}

function mustExist(parts: readonly Part[], names: readonly string[]): void {
  const keys = parts.map(keyOf)
  for (const name of names) if (!keys.includes(name)) throw kitErrors.partMissing(name, closestTo(name, keys))
}
