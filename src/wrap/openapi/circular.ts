import type { JsonSchema } from '../../kit/schema.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'

type Definitions = Readonly<Record<string, JsonSchema>>

/** Keywords whose schemas apply to the same value as the schema that has them. */
const lists = ['allOf', 'anyOf', 'oneOf']
const single = ['not', 'if', 'then', 'else']
/** Keywords that restrict no value. */
const annotations = new Set(['title', 'description', '$comment', 'default', 'examples', 'deprecated'])

/**
 * Removes references by which a definition applies to its own value again, directly or through other definitions: a
 * validator would follow them forever. References from properties and items stay; there, the value is a smaller one.
 *
 * @param names the definitions to check; no other one refers to them
 * @returns the definitions that change, and the names of those that contained themselves
 */
export function withoutCircles(
  definitions: Definitions,
  names: readonly string[],
): { changed: Definitions; circular: ReadonlySet<string> } {
  const closing = closingReferences(definitions, names)
  const changed = Array.from(closing, ([name, targets]) => {
    const schema = definitions[name] as JsonSchema
    return [name, cut(schema, targets) ?? annotationsOf(schema)]
  })
  return {
    changed: Object.fromEntries(changed),
    circular: new Set([...closing.values()].flatMap((targets) => [...targets])),
  }
}

/** The references that close a circle, by the definition that has them. Chains may be long, so nothing here recurses. */
function closingReferences(definitions: Definitions, names: readonly string[]): Map<string, Set<string>> {
  const closing = new Map<string, Set<string>>()
  const unseen = new Set(names)
  for (const start of names) {
    const open = new Map<string, string[]>()
    const path: string[] = []
    const enter = (name: string) => {
      unseen.delete(name)
      open.set(name, referencesOf(definitions[name] as JsonSchema))
      path.push(name)
    }
    if (unseen.has(start)) enter(start)
    for (let name = path.at(-1); name !== undefined; name = path.at(-1)) {
      const target = open.get(name)?.pop()
      if (target === undefined) {
        open.delete(name)
        path.pop()
      } else if (open.has(target)) closing.set(name, (closing.get(name) ?? new Set()).add(target))
      else if (unseen.has(target)) enter(target)
    }
  }
  return closing
}

const nameOf = ({ $ref }: JsonSchema): string | undefined =>
  typeof $ref === 'string' ? $ref.replace('#/$defs/', '') : undefined

/** Names of the definitions that apply to the same value as a schema. */
function referencesOf(schema: JsonSchema): string[] {
  const inner = [
    ...lists.flatMap((keyword) => (Array.isArray(schema[keyword]) ? (schema[keyword] as JsonSchema[]) : [])),
    ...single.flatMap((keyword) => (isObject(schema[keyword]) ? [schema[keyword]] : [])),
    ...(isObject(schema.dependentSchemas) ? (Object.values(schema.dependentSchemas) as JsonSchema[]) : []),
  ]
  return [nameOf(schema) ?? [], ...inner.map(referencesOf)].flat()
}

/** The schema without references to some definitions; undefined if nothing is left that restricts a value. */
function cut(schema: JsonSchema, names: ReadonlySet<string>): JsonSchema | undefined {
  const out: JsonObject = { ...schema }
  if (names.has(nameOf(schema) ?? '')) delete out.$ref
  for (const keyword of lists) {
    if (!Array.isArray(out[keyword])) continue
    const kept = (out[keyword] as JsonSchema[]).flatMap((part) => cut(part, names) ?? [])
    if (kept.length > 0) out[keyword] = kept
    else delete out[keyword]
  }
  for (const keyword of single) {
    const kept = isObject(out[keyword]) ? cut(out[keyword], names) : undefined
    if (kept) out[keyword] = kept
    else delete out[keyword]
  }
  // Without a condition, they do not apply.
  if (!('if' in out)) for (const keyword of ['then', 'else']) delete out[keyword]
  if (isObject(out.dependentSchemas))
    out.dependentSchemas = Object.fromEntries(
      Object.entries(out.dependentSchemas).map(([name, part]) => [name, cut(part as JsonSchema, names) ?? {}]),
    )
  return restricts(schema) && !restricts(out) ? undefined : out
}

const restricts = (schema: JsonSchema) => Object.keys(schema).some((keyword) => !annotations.has(keyword))

const annotationsOf = (schema: JsonSchema): JsonSchema =>
  Object.fromEntries(Object.entries(schema).filter(([keyword]) => annotations.has(keyword)))
