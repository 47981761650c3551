import type { DataType, DataValue, Variant } from 'node-opcua'
import { isObject } from '../../../../protocol/messages.js'
import type { ReadingNotes } from '../../source.js'

const maxItems = 10_000

/** A value as JSON, its time, and its quality. */
export function readingIn({ value, statusCode, sourceTimestamp, serverTimestamp }: DataValue): {
  value: unknown
  at: string | undefined
  notes: ReadingNotes
} {
  const severity = statusCode.value >>> 30
  const quality = severity === 0 ? 'good' : severity === 1 ? 'uncertain' : 'bad'
  return {
    value: jsonIn(value),
    at: (sourceTimestamp ?? serverTimestamp)?.toISOString(),
    notes: { quality, ...(quality === 'good' ? {} : { status: statusCode.name }) },
  }
}

/** Value of a variant as JSON: 64-bit integers as numbers if they fit, bytes as base64, texts without their language. */
export function jsonIn(variant: Variant | null | undefined): unknown {
  if (variant?.value === null || variant?.value === undefined) return null
  const { value, dataType } = variant
  // A single 64-bit integer is represented by a pair of numbers.
  const isPair = isLong(dataType) && Array.isArray(value) && value.length === 2 && typeof value[0] === 'number'
  if ((Array.isArray(value) || ArrayBuffer.isView(value)) && !Buffer.isBuffer(value) && !isPair)
    return Array.from(value as ArrayLike<unknown>, (one) => plain(one, dataType)).slice(0, maxItems)
  return plain(value, dataType)
}

const isLong = (type: DataType): boolean => type === 8 || type === 9

function plain(value: unknown, type: DataType): unknown {
  if (isLong(type) && Array.isArray(value)) return longIn(value as [number, number], type === 8)
  if (typeof value === 'number') return Number.isFinite(value) ? value : String(value)
  if (value === null || value === undefined || typeof value !== 'object') return value ?? null
  if (value instanceof Date) return value.toISOString()
  if (Buffer.isBuffer(value)) return value.toString('base64')
  const { text, name, toJSON } = value as { text?: unknown; name?: unknown; toJSON?: () => unknown }
  if (typeof text === 'string') return text
  if (typeof name === 'string') return name
  if (typeof toJSON !== 'function') return String(value)
  return toJSON.call(value)
}

function longIn([high, low]: [number, number], isSigned: boolean): number | string {
  const bits = (BigInt(high >>> 0) << 32n) | BigInt(low >>> 0)
  const whole = isSigned ? BigInt.asIntN(64, bits) : bits
  return whole >= BigInt(Number.MIN_SAFE_INTEGER) && whole <= BigInt(Number.MAX_SAFE_INTEGER)
    ? Number(whole)
    : String(whole)
}

/** The JSON Schema of arguments of a type, by the type's number in the standard. */
export function schemaOfType(type: number, rank: number): Record<string, unknown> {
  const one = schemaOfOne(type)
  return rank >= 1 ? { type: 'array', items: one, maxItems } : one
}

const ranges: Readonly<Record<number, readonly [number, number]>> = {
  2: [-128, 127],
  3: [0, 255],
  4: [-32_768, 32_767],
  5: [0, 65_535],
  6: [-2_147_483_648, 2_147_483_647],
  7: [0, 4_294_967_295],
}

function schemaOfOne(type: number): Record<string, unknown> {
  if (type === 1) return { type: 'boolean' }
  const range = ranges[type]
  if (range) return { type: 'integer', minimum: range[0], maximum: range[1] }
  if (type === 8 || type === 9) return { type: 'integer' }
  if (type === 10 || type === 11) return { type: 'number' }
  if (type === 13) return { type: 'string', format: 'date-time' }
  if (type === 15) return { type: 'string', contentEncoding: 'base64' }
  return { type: 'string' }
}

/** Converts an argument to a type. Throws an `Error` if that is impossible. */
export function valueOfType(given: unknown, type: number): unknown {
  if (Array.isArray(given)) return given.map((one) => valueOfType(one, type))
  if (isObject(given) || given === undefined) throw new Error('has to be a plain value')
  if (type === 1) return given === true
  if (type === 8 || type === 9) return longOf(BigInt(given as number))
  if (type >= 2 && type <= 11) return Number(given)
  if (type === 13) return new Date(String(given))
  if (type === 15) return Buffer.from(String(given), 'base64')
  if (type === 21) return { text: String(given) }
  return String(given)
}

function longOf(whole: bigint): [number, number] {
  const bits = BigInt.asUintN(64, whole)
  return [Number(bits >> 32n), Number(bits & 0xffffffffn)]
}
