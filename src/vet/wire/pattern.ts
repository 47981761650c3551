import { isObject } from '../../protocol/messages.js'

/**
 * A pattern for JSON values: objects match if the named keys match, arrays match by element, other values must be equal. An object with one key that begins with `$` is a rule: `$is` (a type, `absent` or `present`), `$matches` (a regular
 * expression), `$has` (an array holds elements like these), `$each`, `$oneOf`, `$count` (an array's length), `$atMost`.
 */
export type Pattern = unknown

/** Why a value does not match a pattern, with the path to the mismatch; undefined if it matches. */
export function mismatch(pattern: Pattern, value: unknown, path = 'message'): string | undefined {
  if (Array.isArray(pattern)) return arrayMismatch(pattern, value, path)
  if (!isObject(pattern)) {
    return Object.is(pattern, value) ? undefined : `${path} is ${shown(value)}, not ${shown(pattern)}`
  }
  const [[name, rule] = ['', undefined], ...others] = Object.entries(pattern)
  if (name.startsWith('$') && others.length === 0) return ruleFor(name)(rule, value, path)
  if (!isObject(value)) return `${path} is ${shown(value)}, not an object`
  return first(Object.entries(pattern), ([key, inner]) => mismatch(inner, value[key], `${path}.${key}`))
}

type Rule = (rule: unknown, value: unknown, path: string) => string | undefined

const rules: Readonly<Record<string, Rule>> = {
  $is: (type, value, path) => (isOfType(type, value) ? undefined : `${path} is ${shown(value)}, not ${type}`),
  $matches: (source, value, path) =>
    typeof value === 'string' && new RegExp(String(source)).test(value)
      ? undefined
      : `${path} is ${shown(value)}, which does not match /${source}/`,
  $has: (wanted, value, path) =>
    first(wanted as unknown[], (inner) => {
      const isThere = Array.isArray(value) && value.some((element) => mismatch(inner, element) === undefined)
      return isThere ? undefined : `${path} has no item that matches ${shown(inner)}: ${shown(value)}`
    }),
  $each: (inner, value, path) =>
    Array.isArray(value)
      ? first([...value.entries()], ([at, element]) => mismatch(inner, element, `${path}[${at}]`))
      : `${path} is ${shown(value)}, not an array`,
  $oneOf: (wanted, value, path) =>
    (wanted as unknown[]).some((inner) => mismatch(inner, value) === undefined)
      ? undefined
      : `${path} is ${shown(value)}, none of ${shown(wanted)}`,
  $count: (count, value, path) =>
    Array.isArray(value) && value.length === count
      ? undefined
      : `${path} is ${shown(value)}, not ${count} elements`,
  $atMost: (most, value, path) =>
    Array.isArray(value) && value.length <= Number(most) ? undefined : `${path} has more than ${most} elements`,
}

function ruleFor(name: string): Rule {
  const rule = rules[name]
  if (rule === undefined) throw new Error(`${name} is not a pattern rule`)
  return rule
}

function arrayMismatch(pattern: readonly unknown[], value: unknown, path: string): string | undefined {
  if (!Array.isArray(value) || value.length !== pattern.length) {
    return `${path} is ${shown(value)}, not ${pattern.length} elements`
  }
  return first([...pattern.entries()], ([at, inner]) => mismatch(inner, value[at], `${path}[${at}]`))
}

function isOfType(type: unknown, value: unknown): boolean {
  if (type === 'absent') return value === undefined
  if (type === 'present') return value !== undefined
  if (type === 'array') return Array.isArray(value)
  if (type === 'object') return isObject(value)
  if (type === 'integer') return Number.isInteger(value)
  return typeof value === type
}

function first<T>(items: readonly T[], check: (item: T) => string | undefined): string | undefined {
  for (const item of items) {
    const found = check(item)
    if (found !== undefined) return found
  }
  return undefined
}

function shown(value: unknown): string {
  const text = JSON.stringify(value) ?? 'absent'
  return text.length > 300 ? `${text.slice(0, 300)}…` : text
}
