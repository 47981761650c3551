import { Refusal } from '../../kit/refusal.js'
import type { JsonSchema } from '../../kit/schema.js'
import { fromBase64 } from '../../protocol/base64.js'
import type { SqlValue } from './driver.js'

/**
 * Converts an argument for the database: bytes from base64, integers exactly, other objects and lists as JSON. Throws a
 * `Refusal` for a value that the database would change.
 */
export function argumentValue(name: string, schema: JsonSchema, given: unknown): SqlValue {
  if (given === undefined || given === null) return null
  if (typeof given === 'string' && schema.contentEncoding === 'base64') return bytesOf(name, given)
  if (typeof given === 'number' && Number.isInteger(given) && !Number.isSafeInteger(given))
    throw new Refusal(`${name} is a whole number that JSON rounds; pass its digits as a string.`)
  if (typeof given === 'string' && isWholeNumber(schema) && /^-?\d{1,40}$/.test(given)) return wholeNumber(given)
  if (Array.isArray(given) && schema.type === 'array')
    return given.map((item) => argumentValue(name, itemSchema(schema), item))
  return typeof given === 'object' ? JSON.stringify(given) : (given as SqlValue)
}

/** Type of the items of a list, ignoring null. */
export function itemSchema({ items }: JsonSchema): JsonSchema {
  const { anyOf } = (items ?? {}) as { anyOf?: JsonSchema[] }
  return anyOf?.find(({ type }) => type !== 'null') ?? ((items ?? {}) as JsonSchema)
}

/** True for an integer type, even if large values travel as text. */
export const isWholeNumber = ({ type, anyOf }: JsonSchema): boolean =>
  type === 'integer' || (Array.isArray(anyOf) && anyOf.some((one) => (one as JsonSchema).type === 'integer'))

export const wholeNumber = (digits: string): number | bigint =>
  Number.isSafeInteger(Number(digits)) ? Number(digits) : BigInt(digits)

export function bytesOf(name: string, base64: string): Uint8Array {
  try {
    return Buffer.from(fromBase64(base64))
  } catch {
    throw new Refusal(`${name} is not base64; pass the bytes as base64.`)
  }
}
