import type { JsonSchema } from '../../kit/schema.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { Conversion } from './conversion.js'

/** The schema of a type, and the conversion of its values to JSON. */
export interface Shape {
  readonly schema: JsonSchema
  readonly conversion: Conversion | null
}

export const plain = (schema: JsonSchema): Shape => ({ schema, conversion: null })

/** A schema with additional annotations; 2020-12 allows keywords next to a reference. */
export function constrained(shape: Shape, more: JsonObject): Shape {
  if (Object.keys(more).length === 0) return shape
  const { type, ...rest } = more
  const isNumber = shape.schema.type === 'number'
  return { ...shape, schema: { ...shape.schema, ...(type === 'integer' && isNumber ? { type } : {}), ...rest } }
}

export function literalShape(literals: readonly { value: string | number }[]): Shape {
  const values = literals.map(({ value }) => value)
  const [first] = values
  if (values.length === 1) return plain({ type: typeof first, const: first })
  const types = new Set(values.map((value) => typeof value))
  return plain({ ...(types.size === 1 ? { type: [...types][0] } : {}), enum: values })
}

export function unionOf(branches: readonly Shape[]): Shape {
  const [only] = branches
  if (only && branches.length === 1) return only
  const values = branches.filter(({ schema }) => schema.type !== 'null')
  const [value] = values
  // Null is null in JSON too, so the other branch determines the conversion.
  if (value && values.length === 1)
    return { schema: { anyOf: branches.map(({ schema }) => schema) }, conversion: value.conversion }
  const ordered = [...branches].sort((a, b) => turnOf(a) - turnOf(b))
  return {
    schema: { anyOf: branches.map(({ schema }) => schema) },
    conversion: branches.some(({ conversion }) => conversion !== null) ? { as: 'union', branches: ordered } : null,
  }
}

/** Precedence of branches that match the same value: a date is also a string, and any string could be bytes. */
function turnOf({ conversion }: Shape): number {
  if (conversion === null) return 1
  return conversion.as === 'bytes' || conversion.as === 'buffer' || conversion.as === 'bigint' ? 2 : 0
}

/** The pattern of a template literal type: fixed texts with numbers, choices or any text between them. */
export function templatePattern(
  texts: readonly string[],
  parts: readonly ('number' | 'bigint' | 'text' | readonly string[])[],
): string {
  const asPattern = (text: string) => text.replace(/[\\^$.*+?()[\]{}|/]/g, '\\$&')
  const inner = (part: (typeof parts)[number] | undefined) => {
    if (part === undefined) return ''
    if (part === 'number') return '-?\\d+(\\.\\d+)?'
    if (part === 'bigint') return '-?\\d+'
    return typeof part === 'string' ? '.*' : `(${part.map(asPattern).join('|')})`
  }
  return `^${texts.map((text, at) => asPattern(text) + inner(parts[at])).join('')}$`
}

/** True if a conversion changes something; a reference alone does not. */
export function reallyConverts(
  conversion: Conversion | null,
  named: Readonly<Record<string, Conversion>>,
  seen: ReadonlySet<string> = new Set(),
): boolean {
  if (conversion === null) return false
  if (conversion.as === 'ref') {
    if (seen.has(conversion.name)) return false
    return reallyConverts(named[conversion.name] ?? null, named, new Set([...seen, conversion.name]))
  }
  const inner = (given: Conversion | null) => reallyConverts(given, named, seen)
  if (conversion.as === 'list') return inner(conversion.items)
  if (conversion.as === 'tuple') return conversion.items.some(inner) || inner(conversion.rest)
  if (conversion.as === 'object')
    return Object.values(conversion.properties).some(inner) || inner(conversion.others)
  if (conversion.as === 'union') return conversion.branches.some((branch) => inner(branch.conversion))
  return true
}

/** A tuple of elements, of which at least `least` are required; one may stand for any number of elements. */
export function tupleShape(elements: readonly { shape: Shape; isRest: boolean }[], least: number): Shape {
  const fixed = elements.flatMap(({ shape, isRest }) => (isRest ? [] : [shape]))
  const rest = elements.find(({ isRest }) => isRest)?.shape
  return {
    schema: {
      type: 'array',
      // `[]` has no elements, and an empty list of schemas is not valid.
      ...(fixed.length > 0 ? { prefixItems: fixed.map(({ schema }) => schema) } : {}),
      items: rest ? rest.schema : false,
      minItems: least,
      ...(rest ? {} : { maxItems: fixed.length }),
    },
    conversion: elements.some(({ shape }) => shape.conversion !== null)
      ? { as: 'tuple', items: fixed.map(({ conversion }) => conversion), rest: rest?.conversion ?? null }
      : null,
  }
}
