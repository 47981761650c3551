import {
  type DocumentNode,
  type FragmentDefinitionNode,
  type GraphQLNamedType,
  type GraphQLOutputType,
  type GraphQLSchema,
  getNamedType,
  isAbstractType,
  isInterfaceType,
  isObjectType,
  Kind,
  type SelectionSetNode,
} from 'graphql'
import type { JsonSchema } from '../../kit/schema.js'
import { described, outputSchema } from './types.js'

/** The result of an operation's selection as JSON Schema. The document has been validated. */
export function selectionSchema(
  schema: GraphQLSchema,
  document: DocumentNode,
  root: GraphQLNamedType,
  selection: SelectionSetNode,
): JsonSchema {
  const fragments = new Map(
    document.definitions.flatMap((definition) =>
      definition.kind === Kind.FRAGMENT_DEFINITION ? [[definition.name.value, definition] as const] : [],
    ),
  )
  return objectSchema({ schema, fragments, budget: { left: maxObjects } }, root, [selection])
}

/** A selection with more objects than this is not described further, since fragments can double it with each line. */
const maxObjects = 2000

interface Context {
  readonly budget: { left: number }
  readonly schema: GraphQLSchema
  readonly fragments: ReadonlyMap<string, FragmentDefinitionNode>
}
interface Chosen {
  readonly type: GraphQLOutputType | undefined
  readonly about: string | null | undefined
  readonly selections: SelectionSetNode[]
  /** True if the field is present for every type and is never skipped. */
  readonly isAlways: boolean
}

/** The fields of several selections on one value, combined. */
function objectSchema(
  context: Context,
  type: GraphQLNamedType,
  selections: readonly SelectionSetNode[],
): JsonSchema {
  if (context.budget.left-- <= 0) return { type: 'object' }
  const chosen = new Map<string, Chosen>()
  const gathered = new Set<string>()
  for (const selection of selections) gather(context, type, selection, true, chosen, gathered)
  const properties = [...chosen].map(([key, { type: given, about, selections: inner }]) => {
    const schema = given
      ? outputSchema(given, (named) => objectSchema(context, getNamedType(named) as GraphQLNamedType, inner))
      : { type: 'string' }
    return [key, described(schema, about)] as const
  })
  const required = [...chosen].filter(([, { isAlways }]) => isAlways).map(([key]) => key)
  return {
    type: 'object',
    properties: Object.fromEntries(properties),
    ...(required.length > 0 ? { required } : {}),
  }
}

function gather(
  context: Context,
  type: GraphQLNamedType,
  set: SelectionSetNode,
  isAlways: boolean,
  into: Map<string, Chosen>,
  gathered: Set<string>,
): void {
  for (const node of set.selections) {
    const isKept =
      isAlways && (node.directives ?? []).every(({ name }) => name.value !== 'skip' && name.value !== 'include')
    if (node.kind === Kind.FIELD) {
      const key = (node.alias ?? node.name).value
      const field = isObjectType(type) || isInterfaceType(type) ? type.getFields()[node.name.value] : undefined
      const before = into.get(key)
      into.set(key, {
        type: before?.type ?? field?.type,
        about: field?.description,
        selections: [
          ...new Set([...(before?.selections ?? []), ...(node.selectionSet ? [node.selectionSet] : [])]),
        ],
        isAlways: isKept || before?.isAlways === true,
      })
      continue
    }
    const fragment = node.kind === Kind.FRAGMENT_SPREAD ? context.fragments.get(node.name.value) : node
    const condition = fragment?.typeCondition?.name.value
    const on = condition === undefined ? type : (context.schema.getType(condition) ?? type)
    // Fields selected for one type of an abstract type exist only for that type.
    const isSure = isKept && (on === type || (isObjectType(type) && isAbstractType(on)))
    if (!fragment) continue
    // The same fragment under the same conditions adds nothing.
    const key = node.kind === Kind.FRAGMENT_SPREAD ? `${node.name.value} ${on.name} ${isSure}` : undefined
    if (key !== undefined && gathered.has(key)) continue
    if (key !== undefined) gathered.add(key)
    gather(context, on, fragment.selectionSet, isSure, into, gathered)
  }
}
