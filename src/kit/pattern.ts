import type { JsonSchema } from './schema.js'

/** Tests a text against the pattern that it was made for. */
export type PatternTest = (text: string) => boolean
/** Compiles a pattern. The second engine is loaded only if a schema requires it. */
export type PatternMaker = (pattern: string) => PatternTest

/** Maximum text length for patterns that require backtracking. */
const unportableCharacters = 256

/**
 * Compiles patterns to tests that run in linear time, including untrusted patterns. A pattern that is anchored and has
 * at most one unbounded repetition runs natively; any other runs on RE2's engine, which has no look-around and no back-references. A pattern with those is tried
 * natively on short texts, if it has no repetition within a repetition; else it is not asserted.
 */
export async function patternMakerFor(schema: JsonSchema): Promise<PatternMaker> {
  const patterns = patternsIn(schema)
  return patterns.every(isSimple) ? nativeTest : linearMaker()
}

/** True if a schema's patterns need the second engine, which has to be loaded. */
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

/** True for a pattern that natively takes time in proportion to the text. */
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
  /** In how many ways the bounded ones can share a text. */
  ways: number
  /** A repetition stands within one. */
  isNested: boolean
}

/** Counts what makes a pattern slow. Escapes and classes are passed over as one character. */
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
      // What repeats within a group repeats within the one around it, too.
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

/** How often a repetition allows what stands before it; undefined for any other piece of a pattern. */
function rangeOf(token: string): readonly [least: number, most: number] | undefined {
  if (token === '*' || token === '+') return [0, Number.POSITIVE_INFINITY]
  if (token === '?') return [0, 1]
  const [, least = '', comma, most = ''] = /^\{(\d+)(,?)(\d*)\}$/.exec(token) ?? []
  if (least === '') return undefined
  return [Number(least), comma !== '' && most === '' ? Number.POSITIVE_INFINITY : Number(most || least)]
}

/**
 * A copy of a schema without what could hold up a page that makes a form of it: patterns that are not simple, and `$async`. The answer is checked
 * against the schema itself where a deadline can end that.
 */
export function withoutSlowPatterns<T>(schema: T): T {
  return JSON.parse(JSON.stringify(schema), (key, value) => {
    if (key === '$async') return undefined
    if (key === 'pattern' && typeof value === 'string') return isSimple(value) ? value : undefined
    if (key !== 'patternProperties' || typeof value !== 'object' || value === null) return value
    return Object.fromEntries(Object.entries(value).filter(([pattern]) => isSimple(pattern)))
  })
}

/** Every pattern that a schema names, at any depth. */
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
