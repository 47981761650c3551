import type { JsonSchema } from './schema.js'

/** Tests a text against a compiled pattern. */
export type PatternTest = (text: string) => boolean
/** Compiles a pattern. The second engine is loaded only if a schema requires it. */
export type PatternMaker = (pattern: string) => PatternTest

/** Maximum text length for patterns that require backtracking. */
const unportableCharacters = 256

/**
 * Compiles patterns, including untrusted ones, to tests that run in linear time. An anchored pattern with at most one
 * unbounded repetition runs natively; other patterns run on RE2's engine, which has no look-around and no
 * back-references. A pattern with those runs natively on short texts if it has no nested repetition; otherwise it is
 * not checked.
 */
export async function patternMakerFor(schema: JsonSchema): Promise<PatternMaker> {
  const patterns = patternsIn(schema)
  return patterns.every(isSimple) ? nativeTest : linearMaker()
}

/** True if a schema's patterns need the second engine, which must be loaded first. */
export const needsLinearEngine = (schema: JsonSchema): boolean => !patternsIn(schema).every(isSimple)

/** For schemas whose patterns are all simple. */
export const nativeTest: PatternMaker = (pattern) => {
  const expression = new RegExp(pattern, 'u')
  return (text) => expression.test(text)
}

async function linearMaker(): Promise<PatternMaker> {
  const { RE2JS } = await import('re2js')
  const compiled = (pattern: string): PatternTest | undefined => {
    if (hasBackReference(pattern)) return undefined
    try {
      const machine = RE2JS.compile(RE2JS.translateRegExp(new RegExp(pattern, 'u')))
      return (text) => machine.matcher(text).find()
    } catch {
      return undefined
    }
  }
  return (pattern) => {
    if (isSimple(pattern)) return nativeTest(pattern)
    const linear = compiled(pattern)
    if (linear) return linear
    const expression = new RegExp(pattern, 'u')
    if (repetitionsIn(pattern).isNested) return () => true
    return (text) => text.length <= unportableCharacters && expression.test(text)
  }
}

const hasBackReference = (pattern: string): boolean => /\\(?:[1-9]|k<)/.test(pattern)

/** True for a pattern that runs natively in linear time. */
function isSimple(pattern: string): boolean {
  const { unbounded, ofGroups, ways } = repetitionsIn(pattern)
  if (pattern.length > 1000 || ofGroups > 0 || /\\[1-9k]|\(\?[=!<]/.test(pattern)) return false
  const isAnchored = pattern.startsWith('^') && !pattern.includes('|')
  return unbounded <= (isAnchored ? 1 : 0) && ways <= (isAnchored ? 200 : 20)
}

interface Repetitions {
  /** Repetitions of a character without an upper bound. */
  unbounded: number
  /** Repetitions of a group. */
  ofGroups: number
  /** The number of ways in which bounded repetitions can divide a text. */
  ways: number
  /** A repetition contains another one. */
  isNested: boolean
}

/** Counts the constructs that make a pattern slow. An escape or a class counts as one character. */
function repetitionsIn(pattern: string): Repetitions {
  const counts: Repetitions = { unbounded: 0, ofGroups: 0, ways: 1, isNested: false }
  const groups: { repeats: boolean }[] = []
  let closed: { repeats: boolean } | undefined
  let before = ''
  for (const [token] of pattern.matchAll(/\\[\s\S]|\[(?:\\[\s\S]|[^\]\\])*\]?|\{\d+(?:,\d*)?\}|[\s\S]/g)) {
    const inner = closed
    const last = before
    before = token
    closed = undefined
    if (token === '(') groups.push({ repeats: false })
    if (token === ')') closed = groups.pop()
    const range = last === '(' ? undefined : rangeOf(token)
    if (!range) {
      // A repetition within a group is also within the surrounding group.
      if (closed?.repeats) for (const group of groups) group.repeats = true
      continue
    }
    const [least, most] = range
    // `+?` is a lazy repetition, not a second one.
    if (token === '?' && rangeOf(last)) continue
    if (inner) {
      counts.ofGroups++
      if (inner.repeats && most > 1) counts.isNested = true
    } else if (most === Number.POSITIVE_INFINITY) counts.unbounded++
    else counts.ways *= most - least + 1
    if (most > 1) for (const group of groups) group.repeats = true
  }
  return counts
}

/** The bounds of a repetition; undefined for any other part of a pattern. */
function rangeOf(token: string): readonly [least: number, most: number] | undefined {
  if (token === '*' || token === '+') return [0, Number.POSITIVE_INFINITY]
  if (token === '?') return [0, 1]
  const [, least = '', comma, most = ''] = /^\{(\d+)(,?)(\d*)\}$/.exec(token) ?? []
  if (least === '') return undefined
  return [Number(least), comma !== '' && most === '' ? Number.POSITIVE_INFINITY : Number(most || least)]
}

/**
 * A copy of a schema without constructs that could block a page that makes a form of it: complex patterns and `$async`.
 * The result is checked against the full schema elsewhere, with a time limit.
 */
export function withoutSlowPatterns<T>(schema: T): T {
  return JSON.parse(JSON.stringify(schema), (key, value) => {
    if (key === '$async') return undefined
    if (key === 'pattern' && typeof value === 'string') return isSimple(value) ? value : undefined
    if (key !== 'patternProperties' || typeof value !== 'object' || value === null) return value
    return Object.fromEntries(Object.entries(value).filter(([pattern]) => isSimple(pattern)))
  })
}

/** All patterns in a schema, at any depth. */
function patternsIn(schema: unknown, found: string[] = [], depth = 0): string[] {
  if (typeof schema !== 'object' || schema === null || depth > 200) return found
  for (const [key, value] of Object.entries(schema)) {
    if (key === 'pattern' && typeof value === 'string') found.push(value)
    if (key === 'patternProperties' && typeof value === 'object' && value !== null)
      found.push(...Object.keys(value))
    patternsIn(value, found, depth + 1)
  }
  return found
}
