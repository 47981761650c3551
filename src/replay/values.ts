import { isObject } from '../protocol/messages.js'

/** The value at a JSON pointer; undefined if there is none. */
export function valueAt(value: unknown, pointer: string): unknown {
  return pointer
    .split('/')
    .slice(1)
    .map((key) => key.replaceAll('~1', '/').replaceAll('~0', '~'))
    .reduce<unknown>((at, key) => {
      if (Array.isArray(at)) return at[Number(key)]
      return isObject(at) && Object.hasOwn(at, key) ? at[key] : undefined
    }, value)
}

/** Replaces `${name}` with stored values. A text that contains nothing else becomes the value itself. */
export function filled<T>(value: T, kept: ReadonlyMap<string, unknown>): T {
  if (typeof value === 'string') {
    const whole = /^\$\{(\w+)\}$/.exec(value)?.[1]
    if (whole !== undefined && kept.has(whole)) return kept.get(whole) as T
    return value.replace(/\$\{(\w+)\}/g, (found, name: string) =>
      kept.has(name) ? String(kept.get(name)) : found,
    ) as T
  }
  if (Array.isArray(value)) return value.map((item) => filled(item, kept)) as T
  if (!isObject(value)) return value
  return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, filled(item, kept)])) as T
}

export const maskText = '(masked)'

/** Replaces values that change between runs with a placeholder. */
export function maskValues(masks: readonly string[]): <T>(value: T) => T {
  const patterns = masks
    .filter((mask) => /^\/.*\/$/.test(mask) && mask.length > 2)
    .map((mask) => new RegExp(mask.slice(1, -1), 'g'))
  const rest = masks.filter((mask) => !(/^\/.*\/$/.test(mask) && mask.length > 2))
  const pointers = rest.filter((mask) => mask.startsWith('/')).map((mask) => mask.split('/').slice(1))
  const names = new Set(rest.filter((mask) => !mask.startsWith('/')))
  const isMasked = (path: readonly string[]) =>
    names.has(path.at(-1) ?? '') ||
    pointers.some(
      (pointer) => pointer.length === path.length && pointer.every((key, at) => key === '*' || key === path[at]),
    )
  const walk = (value: unknown, path: readonly string[]): unknown => {
    if (path.length > 0 && isMasked(path)) return maskText
    if (typeof value === 'string') return patterns.reduce((text, pattern) => text.replace(pattern, maskText), value)
    if (Array.isArray(value)) return value.map((item, at) => walk(item, [...path, String(at)]))
    if (!isObject(value)) return value
    return Object.fromEntries(Object.entries(value).map(([key, item]) => [key, walk(item, [...path, key])]))
  }
  return <T>(value: T) => walk(value, []) as T
}
