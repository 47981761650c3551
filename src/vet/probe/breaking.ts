import type { Arbitrary } from 'fast-check'
import { isObject, type JsonObject } from '../../protocol/messages.js'

type FastCheck = typeof import('fast-check').default

/** Arguments that a schema forbids: valid arguments with one error. The caller checks that they are invalid. */
export function breaking(fc: FastCheck, schema: JsonObject, valid: Arbitrary<unknown>): Arbitrary<unknown> {
  const ways = waysToBreak(schema)
  return fc.tuple(valid, fc.constantFrom(...ways)).map(([value, way]) => way(isObject(value) ? value : {}))
}

type Way = (value: JsonObject) => JsonObject

function waysToBreak(schema: JsonObject): Way[] {
  const properties = Object.entries(isObject(schema.properties) ? schema.properties : {})
  const required = Array.isArray(schema.required) ? schema.required.map(String) : []
  return [
    (value) => ({ ...value, noSuchArgument: 'x' }),
    ...required.map(
      (name): Way =>
        ({ [name]: _, ...rest }) =>
          rest,
    ),
    ...properties.flatMap(([name, field]) =>
      wrongFor(isObject(field) ? field : {}).map(
        (wrong): Way =>
          (value) => ({ ...value, [name]: wrong }),
      ),
    ),
  ]
}

/** Values of other types, and values just beyond the bounds. */
function wrongFor(field: JsonObject): unknown[] {
  const wrong: unknown[] = [null, { not: 'this' }, ['nor', 'this'], 7.5, 'nothing of the kind', true]
  if (typeof field.maximum === 'number') wrong.push(field.maximum + 1)
  if (typeof field.minimum === 'number') wrong.push(field.minimum - 1)
  if (typeof field.maxLength === 'number') wrong.push('x'.repeat(field.maxLength + 1))
  if (typeof field.minLength === 'number' && field.minLength > 0) wrong.push('')
  if (typeof field.maxItems === 'number') wrong.push(Array.from({ length: field.maxItems + 1 }, () => null))
  return wrong
}
