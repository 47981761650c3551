import {
  type GraphQLField,
  type GraphQLObjectType,
  type GraphQLOutputType,
  getNamedType,
  isInterfaceType,
  isLeafType,
  isNonNullType,
  isObjectType,
} from 'graphql'

/** How deep operations that nobody has written choose. */
const maxDepth = 3
const maxFields = 60

/**
 * An operation for one root field, where nobody has written any: its arguments as variables, and of what it gives the plain fields,
 * with those of objects below it. Fields that need arguments are left out.
 */
export function derivedOperation(kind: 'query' | 'mutation', field: GraphQLField<unknown, unknown>): string {
  const variables = field.args.map(({ name, type }) => `$${name}: ${type}`)
  const given = field.args.map(({ name }) => `${name}: $${name}`)
  const budget = { left: maxFields }
  const selection = selectionOf(field.type, 1, [], budget)
  const head = `${kind} ${field.name}${variables.length > 0 ? `(${variables.join(', ')})` : ''}`
  return `${head} { ${field.name}${given.length > 0 ? `(${given.join(', ')})` : ''}${selection} }`
}

function selectionOf(
  type: GraphQLOutputType,
  depth: number,
  within: readonly string[],
  budget: { left: number },
): string {
  const named = getNamedType(type)
  if (isLeafType(named)) return ''
  if (!isObjectType(named) && !isInterfaceType(named)) return ' { __typename }'
  const fields = Object.values((named as GraphQLObjectType).getFields()).filter(
    ({ args }) => !args.some((arg) => isNonNullType(arg.type) && arg.defaultValue === undefined),
  )
  const isPlain = ({ type: given }: (typeof fields)[number]) => isLeafType(getNamedType(given))
  const plain = fields.filter(isPlain).slice(0, Math.max(0, budget.left))
  budget.left -= plain.length
  // What is plain comes first: it says what a thing is, and costs least.
  const nested = fields.filter(
    (field) => !isPlain(field) && depth < maxDepth && !within.includes(getNamedType(field.type).name),
  )
  const below = nested.flatMap((field) =>
    budget.left <= 0 ? [] : [`${field.name}${selectionOf(field.type, depth + 1, [...within, named.name], budget)}`],
  )
  const pieces = [...plain.map(({ name }) => name), ...below]
  return ` { ${pieces.length > 0 ? pieces.join(' ') : '__typename'} }`
}
