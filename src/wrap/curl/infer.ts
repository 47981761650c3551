import type { JsonSchema } from '../../kit/schema.js'

/** Infers the type of several strings (integer, number, boolean or string), and the value of a string. */
export function inferTexts(texts: readonly string[]): { schema: JsonSchema; toValue(text: string): unknown } {
  const isNumber = texts.every((text) => /^-?\d/.test(text) && String(Number(text)) === text)
  if (texts.length > 0 && isNumber) {
    const isWhole = texts.every((text) => Number.isSafeInteger(Number(text)))
    return { schema: { type: isWhole ? 'integer' : 'number' }, toValue: Number }
  }
  if (texts.length > 0 && texts.every((text) => text === 'true' || text === 'false'))
    return { schema: { type: 'boolean' }, toValue: (text) => text === 'true' }
  return { schema: { type: 'string' }, toValue: (text) => text }
}

/** The schema of several JSON values. */
export function inferValues(values: readonly unknown[]): JsonSchema {
  const kinds = [...new Set(values.map(kindOf))]
  if (kinds.includes('number') && kinds.includes('integer')) kinds.splice(kinds.indexOf('integer'), 1)
  const [kind = 'string'] = kinds
  if (kinds.length > 1) return { type: kinds }
  if (kind !== 'array') return { type: kind }
  const items = values.flatMap((value) => value as unknown[])
  return { type: 'array', ...(items.length > 0 ? { items: inferValues(items) } : {}) }
}

function kindOf(value: unknown): string {
  if (value === null) return 'null'
  if (Array.isArray(value)) return 'array'
  if (typeof value === 'number') return Number.isInteger(value) ? 'integer' : 'number'
  return typeof value
}
