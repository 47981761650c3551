import {
  astFromValue,
  type GraphQLArgument,
  type GraphQLField,
  type GraphQLObjectType,
  type GraphQLOutputType,
  type GraphQLSchema,
  getNamedType,
  isInterfaceType,
  isLeafType,
  isNonNullType,
  isObjectType,
  isUnionType,
  print,
} from 'graphql'

/** Depth of derived operations. */
const maxDepth = 3
const maxFields = 60
/** Maximum number of types of a union or interface that are included. */
const maxKinds = 12

interface Deriving {
  readonly schema: GraphQLSchema
  readonly budget: { left: number }
}
type Field = GraphQLField<unknown, unknown>

/**
 * Derives an operation for a root field: its arguments become variables; it selects the scalar fields of the result, of nested objects, and of each type of a union or an interface. Fields that need arguments are left out.
 */
export function derivedOperation(kind: 'query' | 'mutation', field: Field, schema: GraphQLSchema): string {
  const variables = field.args.map(variableText)
  const given = field.args.map(({ name }) => `${name}: $${name}`)
  const selection = selectionOf({ schema, budget: { left: maxFields } }, field.type, 1, [])
  const head = `${kind} ${field.name}${variables.length > 0 ? `(${variables.join(', ')})` : ''}`
  return `${head} { ${field.name}${given.length > 0 ? `(${given.join(', ')})` : ''}${selection} }`
}

/** `$most: Int! = 20`: an argument with a default stays optional. */
function variableText({ name, type, defaultValue }: GraphQLArgument): string {
  const value = defaultValue === undefined ? undefined : astFromValue(defaultValue, type)
  return `$${name}: ${type}${value ? ` = ${print(value)}` : ''}`
}

function selectionOf(
  deriving: Deriving,
  type: GraphQLOutputType,
  depth: number,
  within: readonly string[],
): string {
  const named = getNamedType(type)
  if (isLeafType(named)) return ''
  const own = isUnionType(named) ? [] : fieldPieces(deriving, named as GraphQLObjectType, depth, within)
  const pieces = isObjectType(named) ? own : ['__typename', ...own, ...kindPieces(deriving, type, depth, within)]
  return ` { ${pieces.length > 0 ? pieces.join(' ') : '__typename'} }`
}

const selectable = (type: GraphQLObjectType): Field[] =>
  Object.values(type.getFields()).filter(
    ({ args }) => !args.some((arg) => isNonNullType(arg.type) && arg.defaultValue === undefined),
  )
const isPlain = ({ type }: Field) => isLeafType(getNamedType(type))

/** Scalar fields come first, since they identify an object at low cost. */
function fieldPieces(
  deriving: Deriving,
  type: GraphQLObjectType,
  depth: number,
  within: readonly string[],
  names: (field: Field) => string | undefined = ({ name }) => name,
): string[] {
  const { budget } = deriving
  const fields = selectable(type).flatMap((field) => {
    const name = names(field)
    return name === undefined ? [] : [{ field, name }]
  })
  const plain = fields.filter(({ field }) => isPlain(field)).slice(0, Math.max(0, budget.left))
  budget.left -= plain.length
  const nested = fields.filter(
    ({ field }) => !isPlain(field) && depth < maxDepth && !within.includes(getNamedType(field.type).name),
  )
  const below = nested.flatMap(({ field, name }) =>
    budget.left <= 0 ? [] : [`${name}${selectionOf(deriving, field.type, depth + 1, [...within, type.name])}`],
  )
  return [...plain.map(({ name }) => name), ...below]
}

/** The fields of each possible type, in addition to the common ones; conflicting names are prefixed with the type. */
function kindPieces(
  deriving: Deriving,
  type: GraphQLOutputType,
  depth: number,
  within: readonly string[],
): string[] {
  const named = getNamedType(type)
  if (!isUnionType(named) && !isInterfaceType(named)) return []
  const common = new Set(isInterfaceType(named) ? Object.keys(named.getFields()) : [])
  const typeOf = new Map<string, string>()
  return deriving.schema
    .getPossibleTypes(named)
    .slice(0, maxKinds)
    .flatMap((kind) => {
      const names = (field: Field): string | undefined => {
        if (common.has(field.name)) return undefined
        const known = typeOf.get(field.name)
        if (known === undefined) typeOf.set(field.name, String(field.type))
        // Objects of different types are merged, and their fields may differ.
        const isSame = known === undefined || (known === String(field.type) && isPlain(field))
        return isSame
          ? field.name
          : `${kind.name.charAt(0).toLowerCase()}${kind.name.slice(1)}_${field.name}: ${field.name}`
      }
      const pieces = fieldPieces(deriving, kind, depth, within, names)
      return pieces.length > 0 ? [`... on ${kind.name} { ${pieces.join(' ')} }`] : []
    })
}
