import type { JsonSchema } from '../../kit/schema.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'

/** Example arguments for a call: the required ones, from the schema's examples, defaults and choices if it has any. */
export function exampleOf(schema: JsonSchema): JsonObject {
  return sample(schema, (schema.$defs ?? {}) as Record<string, JsonSchema>, 0) as JsonObject
}

function sample(schema: unknown, definitions: Readonly<Record<string, JsonSchema>>, depth: number): unknown {
  if (!isObject(schema) || depth > 6) return null
  if (typeof schema.$ref === 'string')
    return sample(definitions[schema.$ref.replace('#/$defs/', '')], definitions, depth + 1)
  if (Array.isArray(schema.examples) && schema.examples.length > 0) return schema.examples[0]
  if (schema.default !== undefined) return schema.default
  if ('const' in schema) return schema.const
  if (Array.isArray(schema.enum)) return schema.enum[0]
  const [branch] = [schema.oneOf, schema.anyOf, schema.allOf].flatMap((list) =>
    Array.isArray(list) ? [list[0]] : [],
  )
  const type = [schema.type].flat().find((name) => name !== 'null')
  if (type === undefined && branch) return sample(branch, definitions, depth + 1)
  if (type === 'object' || isObject(schema.properties)) {
    const required = Array.isArray(schema.required) ? (schema.required as string[]) : []
    const properties = (schema.properties ?? {}) as Record<string, JsonSchema>
    return Object.fromEntries(required.map((name) => [name, sample(properties[name], definitions, depth + 1)]))
  }
  if (type === 'array') return [sample(schema.items, definitions, depth + 1)].filter((item) => item !== null)
  if (type === 'integer' || type === 'number') return typeof schema.minimum === 'number' ? schema.minimum : 1
  if (type === 'boolean') return true
  const formats: Record<string, string> = {
    date: '2026-06-02',
    'date-time': '2026-06-02T06:00:00Z',
    email: 'ada@example.org',
    uri: 'https://example.org',
    uuid: '6f1f64ab-0000-4000-8000-000000000000',
  }
  return formats[String(schema.format)] ?? 'text'
}
