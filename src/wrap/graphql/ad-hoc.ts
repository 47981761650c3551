import type {
  DocumentNode,
  FragmentDefinitionNode,
  GraphQLNamedType,
  GraphQLSchema,
  SelectionSetNode,
} from 'graphql'
import { messageOf } from '../../errors.js'
import type { Call } from '../../kit/call.js'
import { closestTo, suggestion } from '../../kit/closest.js'
import type { Part } from '../../kit/part.js'
import { Refusal } from '../../kit/refusal.js'
import { tool } from '../../kit/tool.js'
import type { JsonObject } from '../../protocol/messages.js'
import { carriedOut, type PartsKit } from '../http-api/carry-out.js'
import type { PlannedOperation } from '../http-api/operation.js'
import type { GraphPlan } from './plan.js'

/** Limits of a query, which are checked before anything is sent. */
const maxDepth = 10
const maxFields = 200
const maxTokens = 4000
const maxShown = 80

/** Two tools for ad-hoc queries: one describes the schema, one runs a validated query. */
export function adHocParts(plan: GraphPlan, sdl: string, kit: PartsKit): Part[] {
  const { settings } = kit
  const prefix = plan.cataloguePrefix ?? ''
  let loaded: Promise<Graph> | undefined
  const graph = () => {
    loaded ??= loadGraph(sdl)
    return loaded
  }
  return [
    tool(`${prefix}explain_graph`, {
      about: `Explains the schema of ${plan.title}: finds types and fields by words, or shows one type with its fields. Use ${prefix}ask_graph to run a query.`,
      effect: 'read',
      settings,
      input: {
        type: 'object',
        properties: {
          type: { type: 'string', description: 'Name of a type to show, such as Query' },
          words: { type: 'string', maxLength: 200, description: 'Words to find types and fields by' },
        },
        additionalProperties: false,
      } as const,
      async run({ type, words }) {
        const { lib, schema } = await graph()
        return type === undefined ? found(schema, words ?? '') : shownType(lib, schema, type)
      },
    }),
    tool(`${prefix}ask_graph`, {
      about: `Runs one GraphQL ${plan.allowsMutations ? 'query or mutation' : 'query'} on ${plan.title}, after checking it against the schema. At most ${maxDepth} levels and ${maxFields} fields.`,
      effect: plan.allowsMutations ? 'change' : 'read',
      settings,
      input: {
        type: 'object',
        properties: {
          query: { type: 'string', minLength: 2, maxLength: 20_000, description: 'The GraphQL text' },
          variables: { type: 'object', description: 'Values of its variables' },
        },
        required: ['query'],
        additionalProperties: false,
      },
      run: (async ({ query, variables }: { query: string; variables?: JsonObject }, call: Call) => {
        const { lib, schema } = await graph()
        checkQuery(lib, schema, query, plan.allowsMutations === true)
        return carriedOut(askOperation(plan), { query, ...(variables ? { variables } : {}) }, call, kit)
      }) as () => never,
    }),
  ]
}

type Lib = typeof import('graphql')
interface Graph {
  readonly lib: Lib
  readonly schema: GraphQLSchema
}

async function loadGraph(sdl: string): Promise<Graph> {
  const lib = await import('graphql')
  return { lib, schema: lib.buildSchema(sdl, { assumeValidSDL: true }) }
}

const askOperation = (plan: GraphPlan): PlannedOperation => ({
  name: 'ask_graph',
  about: '',
  isDescribed: true,
  effect: plan.allowsMutations ? 'change' : 'read',
  tags: [],
  method: 'POST',
  path: '',
  operationId: 'ask_graph',
  input: {},
  parameters: [],
  body: {
    mediaType: 'application/json',
    form: 'json',
    fixed: {},
    properties: [
      { argument: 'query', path: ['query'] },
      { argument: 'variables', path: ['variables'] },
    ],
  },
  response: { form: 'any', accept: 'application/graphql-response+json, application/json' },
  credentials: plan.credentials.map(({ name }) => name),
  examples: [],
})

/** Throws a `Refusal` for unknown fields, for queries over the limits, and for mutations if only reads are allowed. */
function checkQuery(lib: Lib, schema: GraphQLSchema, query: string, allowsMutations: boolean): void {
  const document = parsed(lib, query)
  const operations = document.definitions.filter((definition) => definition.kind === lib.Kind.OPERATION_DEFINITION)
  const [operation] = operations
  if (!operation || operations.length > 1) throw new Refusal('Send exactly one operation.')
  if (operation.operation === 'subscription' || (operation.operation === 'mutation' && !allowsMutations))
    throw new Refusal(`A ${operation.operation} is not allowed here; only queries are.`)
  const fragments = new Map(
    document.definitions.flatMap((definition) =>
      definition.kind === lib.Kind.FRAGMENT_DEFINITION ? [[definition.name.value, definition] as const] : [],
    ),
  )
  const { depth, fields } = measure(lib, operation.selectionSet, fragments, new Map())
  if (depth > maxDepth) throw new Refusal(`The query goes more than ${maxDepth} levels deep; request less.`)
  if (fields > maxFields) throw new Refusal(`The query asks for more than ${maxFields} fields; request fewer.`)
  const faults = lib.validate(schema, document, undefined, { maxErrors: 10 })
  if (faults.length > 0)
    throw new Refusal(
      `The query does not match the schema:\n${faults.map(({ message }) => `- ${message}`).join('\n')}`,
    )
}

function parsed(lib: Lib, query: string): DocumentNode {
  try {
    return lib.parse(query, { maxTokens })
  } catch (error) {
    throw new Refusal(`The query cannot be read: ${messageOf(error)}`)
  }
}

interface Size {
  readonly depth: number
  readonly fields: number
}

/** Measures a query. A fragment is measured once, and counted at each use. */
function measure(
  lib: Lib,
  set: SelectionSetNode,
  fragments: ReadonlyMap<string, FragmentDefinitionNode>,
  measured: Map<string, Size>,
): Size {
  let depth = 1
  let fields = 0
  for (const node of set.selections) {
    const size =
      node.kind === lib.Kind.FRAGMENT_SPREAD
        ? ofFragment(node.name.value)
        : node.selectionSet
          ? measure(lib, node.selectionSet, fragments, measured)
          : { depth: 0, fields: 0 }
    const isField = node.kind === lib.Kind.FIELD
    depth = Math.max(depth, size.depth + (isField ? 1 : 0))
    fields += size.fields + (isField ? 1 : 0)
  }
  return { depth, fields }

  function ofFragment(name: string): Size {
    const known = measured.get(name)
    if (known) return known
    // A cyclic fragment counts once here; the validation against the schema refuses it.
    measured.set(name, { depth: 0, fields: 0 })
    const fragment = fragments.get(name)
    const size = fragment ? measure(lib, fragment.selectionSet, fragments, measured) : { depth: 0, fields: 0 }
    measured.set(name, size)
    return size
  }
}

function found(schema: GraphQLSchema, words: string): object {
  const wanted = words
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean)
  const hits = Object.values(schema.getTypeMap())
    .filter(({ name }) => !name.startsWith('__'))
    .flatMap((type) => [
      { label: type.name, about: type.description ?? '' },
      ...Object.values(fieldsOf(type)).map(({ name, description }) => ({
        label: `${type.name}.${name}`,
        about: description ?? '',
      })),
    ])
    .map((hit) => ({ ...hit, score: scoreOf(hit, wanted) }))
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score)
  const roots = [schema.getQueryType(), schema.getMutationType()].flatMap((type) => type?.name ?? [])
  if (wanted.length === 0) return { roots, note: 'Show one of these types, or search for others with words.' }
  return {
    found: hits
      .slice(0, 25)
      .map(({ label, about }) => (about ? `${label}: ${about.split('\n')[0]?.slice(0, 160)}` : label)),
    ...(hits.length > 25 ? { note: `${hits.length - 25} more; narrow the search with more words.` } : {}),
  }
}

function scoreOf({ label, about }: { label: string; about: string }, wanted: readonly string[]): number {
  const name = label.toLowerCase()
  const text = about.toLowerCase()
  return (
    wanted.reduce(
      (sum, word) => sum + (name === word ? 6 : name.includes(word) ? 3 : text.includes(word) ? 1 : 0),
      0,
    ) - (label.includes('.') ? 0.5 : 0)
  )
}

const fieldsOf = (
  type: GraphQLNamedType,
): Record<string, { name: string; description?: string | null | undefined }> =>
  'getFields' in type ? type.getFields() : {}

function shownType(lib: Lib, schema: GraphQLSchema, name: string): object {
  const type = schema.getType(name)
  if (!type) {
    const closest = closestTo(name, Object.keys(schema.getTypeMap()))
    throw new Refusal(`There is no type ${JSON.stringify(name)}${suggestion(closest) || '.'}`)
  }
  const about = type.description ? { about: type.description.slice(0, 600) } : {}
  if (lib.isEnumType(type))
    return {
      type: name,
      ...about,
      values: type
        .getValues()
        .map((value) => value.name)
        .slice(0, maxShown),
    }
  if (lib.isUnionType(type)) return { type: name, ...about, oneOf: type.getTypes().map((member) => member.name) }
  if (lib.isScalarType(type)) return { type: name, ...about, kind: 'scalar' }
  const fields = Object.values(type.getFields()).map((field) => {
    const args =
      'args' in field && field.args.length > 0
        ? `(${field.args.map((arg: { name: string; type: unknown }) => `${arg.name}: ${arg.type}`).join(', ')})`
        : ''
    const said = field.description ? `  # ${field.description.split('\n')[0]?.slice(0, 120)}` : ''
    return `${field.name}${args}: ${field.type}${said}`
  })
  return {
    type: name,
    ...about,
    fields: fields.slice(0, maxShown),
    ...(fields.length > maxShown
      ? { note: `${fields.length - maxShown} more fields; search for them by words.` }
      : {}),
  }
}
