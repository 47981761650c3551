import { toBase64 } from '../protocol/base64.js'

/** A value as plain JSON, or the path of a value that JSON cannot express. */
export type PlainJson =
  | { readonly ok: true; readonly value: unknown }
  | { readonly ok: false; readonly path: string; readonly problem: string }

/** Deeper values are checked for cycles. */
const shallowLevels = 64
const maxLevels = 1000

/**
 * Converts a value to plain JSON, as wrapped functions do: `Date` and `URL` become text, bytes base64, `BigInt` its
 * digits, `Set` a list, `Map` an object (a list of pairs unless all keys are text), `Error` its name and message.
 * Cycles, functions, symbols, promises, `NaN` and infinite numbers are reported with their path. Returns plain JSON
 * values unchanged.
 */
export function plainJson(value: unknown): PlainJson {
  if (isPlain(value, shallowLevels)) return { ok: true, value }
  try {
    return { ok: true, value: converted(value, [], new Set()) }
  } catch (error) {
    if (error instanceof NotJson) return { ok: false, path: error.path, problem: error.message }
    throw error
  }
}

class NotJson extends Error {
  readonly path: string
  constructor(path: readonly (string | number)[], problem: string) {
    super(problem)
    this.path = path.length > 0 ? path.join('.') : 'result'
  }
}

function isPlain(value: unknown, levels: number): boolean {
  if (typeof value === 'string' || typeof value === 'boolean' || value === null) return true
  if (typeof value === 'number') return Number.isFinite(value)
  if (typeof value !== 'object' || levels === 0) return false
  if (Array.isArray(value)) return value.every((item) => isPlain(item, levels - 1))
  const prototype = Object.getPrototypeOf(value)
  if ((prototype !== Object.prototype && prototype !== null) || 'toJSON' in value) return false
  // JSON omits absent properties.
  for (const key in value) {
    const item = (value as Record<string, unknown>)[key]
    if (item !== undefined && !isPlain(item, levels - 1)) return false
  }
  return true
}

function converted(value: unknown, path: readonly (string | number)[], above: Set<object>): unknown {
  if (typeof value === 'bigint') return String(value)
  if (typeof value === 'number' && !Number.isFinite(value)) throw new NotJson(path, `is ${value}`)
  if (typeof value === 'function' || typeof value === 'symbol') throw new NotJson(path, `is a ${typeof value}`)
  // In a list, JSON writes null for absent values.
  if (value === undefined) return null
  if (typeof value !== 'object' || value === null) return value
  if (above.has(value)) throw new NotJson(path, 'holds itself')
  if (path.length > maxLevels) throw new NotJson(path.slice(0, 10), `has more than ${maxLevels} levels`)
  if (typeof (value as PromiseLike<unknown>).then === 'function')
    throw new NotJson(path, 'is a promise; is an "await" missing?')
  if (value instanceof Date && Number.isNaN(value.getTime())) throw new NotJson(path, 'is an invalid Date')
  const bytes = bytesIn(value)
  if (bytes) return toBase64(bytes)
  above.add(value)
  const result = within(value, path, above)
  above.delete(value)
  return result
}

function within(value: object, path: readonly (string | number)[], above: Set<object>): unknown {
  const inner = (item: unknown, at: string | number) => converted(item, [...path, at], above)
  if (value instanceof Error && !('toJSON' in value)) return { name: value.name, message: value.message }
  if ('toJSON' in value && typeof value.toJSON === 'function') {
    const own: unknown = value.toJSON()
    return own === value ? properties(value, inner) : converted(own, path, above)
  }
  if (value instanceof Map) {
    const entries = [...value].map(
      ([key, item], at) => [key, inner(item, typeof key === 'string' ? key : at)] as const,
    )
    return entries.every(([key]) => typeof key === 'string')
      ? Object.fromEntries(entries)
      : entries.map(([key, item], at) => [inner(key, at), item])
  }
  if (value instanceof Set) return [...value].map(inner)
  return Array.isArray(value) ? value.map(inner) : properties(value, inner)
}

function properties(value: object, inner: (item: unknown, at: string) => unknown): object {
  const entries = Object.entries(value).filter(([, item]) => item !== undefined)
  return Object.fromEntries(entries.map(([key, item]) => [key, inner(item, key)]))
}

function bytesIn(value: object): Uint8Array | undefined {
  if (ArrayBuffer.isView(value)) return new Uint8Array(value.buffer, value.byteOffset, value.byteLength)
  return value instanceof ArrayBuffer ? new Uint8Array(value) : undefined
}
