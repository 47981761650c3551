import { isObject, type JsonObject } from '../protocol/messages.js'
import { describeSchema, type JsonSchema, resolvedIn } from './schema.js'

/** A mismatch between a value and a branch, and its weight against the branch. */
interface Lack {
  readonly text: string
  readonly weight: number
}

const maxShown = 4
const maxDepth = 3

/** The branches of a union without null; undefined if the schema is not a union. */
export function branchesOf(schema: JsonSchema): readonly JsonSchema[] | undefined {
  const given = schema.anyOf ?? schema.oneOf
  if (!Array.isArray(given)) return undefined
  const branches = (given as JsonSchema[]).filter(({ type }) => type !== 'null')
  return branches.length > 1 ? branches : undefined
}

/**
 * The mismatch with the closest branch of a union: `kind is "rect": h is missing`. Undefined if nothing distinguishes
 * the branches.
 */
export function lackOfClosest(schema: JsonSchema, value: unknown, root: JsonSchema): string | undefined {
  const branches = branchesOf(schema)?.map((branch) => resolvedIn(root, branch))
  if (!branches) return undefined
  const told = isObject(value) ? byDiscriminator(branches, value, root) : undefined
  if (told !== undefined) return told
  const lacks = branches.map((branch) => lacksOf(branch, value, root, 0))
  const weights = lacks.map((list) => list.reduce((sum, { weight }) => sum + weight, 0))
  const best = weights.indexOf(Math.min(...weights))
  const closest = lacks[best] ?? []
  // A value of an unknown kind is answered with the list of kinds.
  if (closest.length === 0 || (weights[best] ?? 0) >= 100) return undefined
  return `closest to ${describeSchema(branches[best] as JsonSchema)}: ${textOf(closest)}`
}

/** If every branch has a property with a constant value, that property selects the branch. */
function byDiscriminator(branches: readonly JsonSchema[], value: JsonObject, root: JsonSchema): string | undefined {
  const tags = branches.map((branch) => constantsOf(branch, root))
  const name = Object.keys(tags[0] ?? {}).find((key) => tags.every((tag) => Object.hasOwn(tag, key)))
  if (name === undefined) return undefined
  const known = [...new Set(tags.map((tag) => JSON.stringify(tag[name])))]
  const given = value[name]
  const at = tags.findIndex((tag) => tag[name] === given)
  if (given === undefined) return `${name} is missing; it must be one of ${known.join(', ')}`
  if (at < 0) return `${name} is ${shown(given)}; it must be one of ${known.join(', ')}`
  const lacks = lacksOf(branches[at] as JsonSchema, value, root, 0)
  return lacks.length > 0 ? `${name} is ${shown(given)}: ${textOf(lacks)}` : undefined
}

function constantsOf(branch: JsonSchema, root: JsonSchema): Readonly<Record<string, unknown>> {
  const properties = (isObject(branch.properties) ? branch.properties : {}) as Record<string, JsonSchema>
  return Object.fromEntries(
    Object.entries(properties).flatMap(([name, given]) => {
      const inner = resolvedIn(root, given)
      if ('const' in inner) return [[name, inner.const]]
      return Array.isArray(inner.enum) && inner.enum.length === 1 ? [[name, inner.enum[0]]] : []
    }),
  )
}

function lacksOf(given: JsonSchema, value: unknown, root: JsonSchema, depth: number): Lack[] {
  const schema = resolvedIn(root, given)
  const types = [schema.type].flat().filter((type) => typeof type === 'string') as string[]
  if (types.length > 0 && !types.some((type) => isOf(type, value)))
    return [{ text: `expected ${describeSchema(schema)}`, weight: 100 }]
  if ('const' in schema && schema.const !== value) return [{ text: `expected ${shown(schema.const)}`, weight: 10 }]
  if (Array.isArray(schema.enum) && !schema.enum.includes(value))
    return [{ text: `expected ${describeSchema(schema)}`, weight: 5 }]
  if (!isObject(value) || depth >= maxDepth) return []
  const properties = (isObject(schema.properties) ? schema.properties : {}) as Record<string, JsonSchema>
  const required = Array.isArray(schema.required) ? (schema.required as string[]) : []
  const missing = required
    .filter((name) => value[name] === undefined)
    .map((name) => ({ text: `${name} is missing`, weight: 1 }))
  const unknown =
    schema.additionalProperties === false
      ? Object.keys(value).flatMap((name) =>
          Object.hasOwn(properties, name) ? [] : [{ text: `there is no ${name}`, weight: 1 }],
        )
      : []
  const wrong = Object.entries(properties).flatMap(([name, inner]) =>
    value[name] === undefined
      ? []
      : lacksOf(inner, value[name], root, depth + 1).map(({ text, weight }) => ({
          text: `${name}: ${text}`,
          weight: Math.min(weight, 10),
        })),
  )
  return [...missing, ...unknown, ...wrong]
}

function isOf(type: string, value: unknown): boolean {
  if (type === 'object') return isObject(value)
  if (type === 'array') return Array.isArray(value)
  if (type === 'integer') return Number.isInteger(value)
  return type === 'null' ? value === null : typeof value === type
}

const shown = (value: unknown): string => {
  const text = JSON.stringify(value) ?? String(value)
  return text.length > 60 ? `${text.slice(0, 57)}…` : text
}
const textOf = (lacks: readonly Lack[]): string =>
  lacks
    .slice(0, maxShown)
    .map(({ text }) => text)
    .join(', ') + (lacks.length > maxShown ? ` and ${lacks.length - maxShown} more` : '')
