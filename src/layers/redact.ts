import { kitErrors } from '../kit/errors.js'
import { type Layer, type LayerOptions, layer } from '../kit/layer.js'
import { plainJson } from '../kit/plain-json.js'
import { hidden } from '../protocol/secrets.js'
import { usualMethods } from './by.js'

export interface RedactOptions extends Pick<LayerOptions, 'only' | 'methods'> {
  /** Names of fields whose values are hidden at any depth; case-insensitive. */
  fields?: readonly string[]
  /** Parts of texts that are hidden. */
  patterns?: readonly RegExp[]
}

/**
 * Hides values in results, by the names of their fields or by patterns in texts. Throws a `JexoError` if neither is given.
 *
 * @example redact({ fields: ['phone', 'email'], patterns: [/\b\d{4} \d{4} \d{4} \d{4}\b/] })
 */
export function redact({ fields = [], patterns = [], only, methods }: RedactOptions): Layer {
  if (fields.length + patterns.length === 0)
    throw kitErrors.partField('layer "redact"', 'fields', 'names of fields, or patterns')
  const names = new Set(fields.map((name) => name.toLowerCase()))
  const all = patterns.map((pattern) => new RegExp(pattern.source, [...new Set(`${pattern.flags}g`)].join('')))
  const redacted = (value: unknown, depth = 0): unknown => {
    if (typeof value === 'string') return all.reduce((text, pattern) => text.replace(pattern, hidden), value)
    if (depth > deepest) return hidden
    if (Array.isArray(value)) return value.map((item) => redacted(item, depth + 1))
    if (typeof value !== 'object' || value === null || value instanceof Uint8Array) return value
    if (!isPlain(value) || 'toJSON' in value) {
      // Class instances have fields too, once serialized. Values without JSON are hidden.
      const plain = plainJson(value)
      return plain.ok ? redacted(plain.value, depth + 1) : hidden
    }
    const entries = Object.entries(value).map(([key, item]) => [
      key,
      names.has(key.toLowerCase()) ? hidden : redacted(item, depth + 1),
    ])
    // Symbol keys, such as the marks of content, stay.
    return Object.defineProperties(Object.fromEntries(entries), marksOf(value))
  }
  return layer('redact', async (_call, next) => redacted(await next()), {
    ...(only ? { only } : {}),
    methods: methods ?? usualMethods,
  })
}

const deepest = 100

const isPlain = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && [Object.prototype, null].includes(Object.getPrototypeOf(value))

const marksOf = (value: object): PropertyDescriptorMap =>
  Object.fromEntries(
    Object.getOwnPropertySymbols(value).map((mark) => [
      mark,
      Object.getOwnPropertyDescriptor(value, mark) as PropertyDescriptor,
    ]),
  )
