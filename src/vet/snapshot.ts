import type { Kit } from '../kit/kit.js'
import type { Catalogue } from '../link/catalogue.js'
import { isObject, type JsonObject } from '../protocol/messages.js'
import type { PromptDefinition, ToolDefinition } from '../protocol/types.js'
import type { Contract } from './contract.js'
import type { SeenResult, SeenView } from './views/look.js'

/** The input of the rules: the server's own declarations, and additional information. */
export interface Snapshot extends Catalogue {
  name: string
  version: string
  instructions: string | undefined
  /** Cost of each tool in a model's context, in tokens. */
  costs: Readonly<Record<string, number>>
  /** The kit itself, if the target is one, since it contains more than the protocol shows. */
  kit?: Kit | undefined
  /** The saved contract. */
  contract?: Contract | undefined
  /** Results in recorded cases, by size. */
  results?: readonly { case: string; step: string; tokens: number }[]
  /** A filled prompt, with its arguments. */
  filled?: { name: string; arguments: JsonObject; required: string } | undefined
  /** Views of tools, as a host reads them. */
  views?: readonly SeenView[]
  /** Results of read-only tools with a view, for hosts without views. */
  viewResults?: readonly SeenResult[]
  /** Lines on stdout that are not messages; of a child process only. */
  strays?: readonly string[]
  /** Output to stdout that was diverted to stderr, such as `console.log in the loading of hives.kit.ts`. */
  diverted?: readonly string[]
}

export const inTool = ({ name }: ToolDefinition) => `tool ${name}`
export const inPrompt = ({ name }: PromptDefinition) => `prompt ${name}`

/** The arguments of a tool, by name. */
export function parametersOf(tool: ToolDefinition): [string, JsonObject][] {
  const { properties } = tool.inputSchema
  if (!isObject(properties)) return []
  return Object.entries(properties).map(([name, schema]) => [name, isObject(schema) ? schema : {}])
}

/** All nested schemas with path and depth. References are not followed. */
export function* schemasIn(
  schema: unknown,
  path = '',
  depth = 0,
): Generator<{ schema: JsonObject; path: string; depth: number }> {
  if (!isObject(schema) || depth > 40) return
  yield { schema, path, depth }
  const inner = (key: string, item: unknown, more = 1) =>
    schemasIn(item, path === '' ? key : `${path}.${key}`, depth + more)
  for (const key of ['properties', 'patternProperties', '$defs', 'definitions', 'dependentSchemas']) {
    const map = schema[key]
    // Definitions are skipped; their depth is that of their use.
    if (isObject(map))
      for (const [name, item] of Object.entries(map))
        yield* inner(`${key}.${name}`, item, key === 'properties' ? 1 : 0)
  }
  for (const key of ['anyOf', 'oneOf', 'allOf', 'prefixItems']) {
    const list = schema[key]
    if (Array.isArray(list)) for (const [at, item] of list.entries()) yield* inner(`${key}.${at}`, item, 0)
  }
  for (const key of ['items', 'additionalProperties', 'not', 'if', 'then', 'else', 'contains', 'propertyNames'])
    yield* inner(key, schema[key])
}

/** Input and output schemas of each tool. */
export const schemasOf = (tool: ToolDefinition): { of: 'input' | 'output'; schema: JsonObject }[] => [
  { of: 'input', schema: tool.inputSchema },
  ...(isObject(tool.outputSchema) ? [{ of: 'output' as const, schema: tool.outputSchema }] : []),
]

/** Calls a rule for each schema in each tool's input. */
export function inInputs<T>(
  { tools }: Snapshot,
  look: (schema: JsonObject, depth: number) => T | undefined,
): { tool: ToolDefinition; path: string; found: T }[] {
  return tools.flatMap((tool) =>
    [...schemasIn(tool.inputSchema)].flatMap(({ schema, path, depth }) => {
      const found = look(schema, depth)
      return found === undefined ? [] : [{ tool, path, found }]
    }),
  )
}

/** A location in a tool's input, as text. */
export const placeIn = (tool: ToolDefinition, path: string): string =>
  path === '' ? inTool(tool) : `${inTool(tool)}, input ${path.replaceAll('properties.', '')}`
