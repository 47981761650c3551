import type { JsonSchema } from '../kit/schema.js'
import { isObject } from '../protocol/messages.js'
import { foreignValidator } from '../transport/foreign-validator.js'
import type { Expectation, Outcome } from './case.js'
import { withoutErrorIds } from './case-file.js'

/** Returns the differences, one sentence each. `durations` are those of the steps so far, in milliseconds. */
export async function differencesOf(
  expected: Expectation,
  outcome: Outcome,
  durations: readonly number[],
  mask: <T>(value: T) => T,
): Promise<string[]> {
  const found: string[] = []
  const { structured, text, failure, error, durationMs } = outcome
  if (expected.error) found.push(...errorDifferences(expected.error, error))
  else if (error) found.push(`the server refused: ${error.code} ${error.message}`)
  if (expected.failure !== undefined) {
    if (failure === undefined) found.push(error ? '' : 'the tool did not fail')
    else if (expected.failure !== true && !isSameFailure(mask(expected.failure), mask(failure)))
      found.push(`failure: expected ${shown(expected.failure)}, got ${shown(failure)}`)
  } else if (failure !== undefined) found.push(`the tool failed: ${failure}`)
  if (error || failure !== undefined) return found.filter(Boolean)
  if (expected.structured)
    found.push(...subsetDifferences(mask(expected.structured), mask(structured), 'structured'))
  if (expected.exactly) found.push(...exactDifferences(mask(expected.exactly), mask(structured), 'structured'))
  if (expected.schema) found.push(...(await schemaDifferences(expected.schema, structured)))
  found.push(...textDifferences(expected, text, mask))
  if (expected.duration) {
    const { atMostTimes, ofStep } = expected.duration
    const other = durations[ofStep - 1]
    if (other === undefined) found.push(`duration: there is no step ${ofStep} before this one`)
    else if (durationMs > atMostTimes * other)
      found.push(`duration: ${ratio(durationMs / other)} times step ${ofStep}, expected at most ${atMostTimes}`)
  }
  return found
}

const isSameFailure = (expected: string, got: string): boolean => withoutErrorIds(expected) === withoutErrorIds(got)

const ratio = (value: number) => (Math.round(value * 10) / 10).toString()

function errorDifferences(expected: NonNullable<Expectation['error']>, error: Outcome['error']): string[] {
  if (!error) return ['the server did not refuse']
  const found: string[] = []
  if (expected.code !== undefined && expected.code !== error.code)
    found.push(`error.code: expected ${expected.code}, got ${error.code}`)
  if (expected.message !== undefined && !error.message.includes(expected.message))
    found.push(`error.message: expected ${shown(expected.message)}, got ${shown(error.message)}`)
  return found
}

function textDifferences(
  { text, contains, pattern }: Expectation,
  got: string,
  mask: <T>(value: T) => T,
): string[] {
  const found: string[] = []
  if (text !== undefined && mask(text) !== mask(got)) found.push(firstTextDifference(mask(text), mask(got)))
  for (const part of [contains ?? []].flat())
    if (!mask(got).includes(mask(part))) found.push(`text: ${shown(part)} is not in ${shown(got)}`)
  if (pattern !== undefined && !new RegExp(pattern, 's').test(got))
    found.push(`text: ${shown(got)} does not match ${pattern}`)
  return found
}

/** For long texts, the first line that differs. */
function firstTextDifference(expected: string, got: string): string {
  const [before, after] = [expected.split('\n'), got.split('\n')]
  const at = before.findIndex((line, index) => line !== after[index])
  if (before.length === 1 && after.length === 1) return `text: expected ${shown(expected)}, got ${shown(got)}`
  const line = at < 0 ? before.length : at
  return `text, line ${line + 1}: expected ${shown(before[line])}, got ${shown(after[line])}`
}

/** All given fields must match; arrays must have the same length. */
export function subsetDifferences(expected: unknown, got: unknown, path: string): string[] {
  if (isObject(expected) && isObject(got)) {
    return Object.entries(expected).flatMap(([key, value]) =>
      Object.hasOwn(got, key)
        ? subsetDifferences(value, got[key], `${path}.${key}`)
        : [`${path}.${key}: expected ${shown(value)}, but it is missing`],
    )
  }
  if (Array.isArray(expected) && Array.isArray(got)) {
    if (expected.length !== got.length) return [`${path}: expected ${expected.length} entries, got ${got.length}`]
    return expected.flatMap((item, at) => subsetDifferences(item, got[at], `${path}[${at}]`))
  }
  return Object.is(expected, got) ? [] : [`${path}: expected ${shown(expected)}, got ${shown(got)}`]
}

function exactDifferences(expected: unknown, got: unknown, path: string): string[] {
  const more = extraIn(expected, got, path)
  return [...subsetDifferences(expected, got, path), ...more]
}

function extraIn(expected: unknown, got: unknown, path: string): string[] {
  if (isObject(expected) && isObject(got)) {
    return Object.entries(got).flatMap(([key, value]) =>
      Object.hasOwn(expected, key)
        ? extraIn(expected[key], value, `${path}.${key}`)
        : [`${path}.${key}: not expected, got ${shown(value)}`],
    )
  }
  if (!Array.isArray(expected) || !Array.isArray(got)) return []
  return expected.flatMap((item, at) => extraIn(item, got[at], `${path}[${at}]`))
}

async function schemaDifferences(schema: JsonSchema, structured: unknown): Promise<string[]> {
  const validate = await foreignValidator.prepare(schema)
  return validate(structured).map(({ path, reason }) => `${['structured', ...path].join('.')}: ${reason}`)
}

function shown(value: unknown): string {
  const text = value === undefined ? 'nothing' : JSON.stringify(value)
  return text.length > 160 ? `${text.slice(0, 157)}…` : text
}
