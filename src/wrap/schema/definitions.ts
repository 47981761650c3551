import type { JsonSchema } from '../../kit/schema.js'
import { isObject } from '../../protocol/messages.js'

/** A schema with the definitions that it refers to, directly or indirectly. */
export function withDefinitions(schema: JsonSchema, definitions: Readonly<Record<string, JsonSchema>>): JsonSchema {
  const needed = new Map<string, JsonSchema>()
  const waiting: unknown[] = [schema]
  for (let at = waiting.pop(); at !== undefined; at = waiting.pop()) {
    for (const name of referencesIn(at)) {
      const found = definitions[name]
      if (found === undefined || needed.has(name)) continue
      needed.set(name, found)
      waiting.push(found)
    }
  }
  return needed.size === 0
    ? schema
    : { ...schema, $defs: Object.fromEntries([...needed].sort(([a], [b]) => (a < b ? -1 : 1))) }
}

const known = new WeakMap<object, readonly string[]>()

/** Names of the definitions that a schema refers to; computed once for each. */
function referencesIn(value: unknown): readonly string[] {
  if (typeof value !== 'object' || value === null) return []
  const found = known.get(value)
  if (found) return found
  const names = new Set<string>()
  for (const [key, inner] of Object.entries(value)) {
    if (key === '$ref' && typeof inner === 'string' && !Array.isArray(value)) {
      const [, name] = /^#\/\$defs\/([^/]+)/.exec(inner) ?? []
      if (name !== undefined) names.add(decodeURIComponent(name.replaceAll('~1', '/').replaceAll('~0', '~')))
    } else for (const name of referencesIn(inner)) names.add(name)
  }
  const list = [...names]
  known.set(value, list)
  return list
}

/**
 * The published form of a response schema. An API that violates its description must not break the call, so other
 * content is also allowed; not with `isStrict`.
 */
export function publishedOutput(
  schema: JsonSchema,
  isStrict: boolean,
  otherwise = 'Values in which the API differs from its own description',
): JsonSchema {
  if (isStrict) return schema
  const { $defs, ...declared } = schema
  return {
    type: 'object',
    anyOf: [declared, { type: 'object', description: otherwise }],
    ...(isObject($defs) ? { $defs } : {}),
  }
}
