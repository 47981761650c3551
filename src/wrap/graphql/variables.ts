import {
  type GraphQLNamedType,
  type GraphQLSchema,
  getNamedType,
  isInputObjectType,
  isInputType,
  isScalarType,
  Kind,
  type OperationDefinitionNode,
  TypeInfo,
  typeFromAST,
  valueFromASTUntyped,
  visit,
  visitWithTypeInfo,
} from 'graphql'
import type { JsonSchema } from '../../kit/schema.js'
import { described, type InputTypes } from './types.js'

/** The variables of an operation as the arguments of a tool. */
export function variablesOf(schema: GraphQLSchema, node: OperationDefinitionNode, types: InputTypes) {
  const properties: Record<string, JsonSchema> = {}
  const required: string[] = []
  const places = (node.variableDefinitions ?? []).map(({ variable, type, defaultValue }) => {
    const name = variable.name.value
    const known = typeFromAST(schema, type as never)
    const shape = known && isInputType(known) ? types.givenSchema(known) : {}
    const argument = argumentFor(schema, node, name)
    properties[name] = {
      ...described(shape, argument),
      ...(defaultValue ? { default: valueFromASTUntyped(defaultValue) } : {}),
    }
    if (type.kind === Kind.NON_NULL_TYPE && !defaultValue) required.push(name)
    return { argument: name, path: ['variables', name] }
  })
  const input: JsonSchema = {
    type: 'object',
    ...(places.length > 0 ? { properties } : {}),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
  }
  return { input, properties: places }
}

/** True if a variable is a file, or contains one at any depth, by the multipart request convention. */
export function takesUpload(schema: GraphQLSchema, { variableDefinitions = [] }: OperationDefinitionNode): boolean {
  const seen = new Set<string>()
  const holds = (type: GraphQLNamedType): boolean => {
    if (/^(Upload|File)$/.test(type.name) && isScalarType(type)) return true
    if (!isInputObjectType(type) || seen.has(type.name)) return false
    seen.add(type.name)
    return Object.values(type.getFields()).some((field) => holds(getNamedType(field.type)))
  }
  return variableDefinitions.some(({ type }) => {
    const known = typeFromAST(schema, type as never)
    return known !== undefined && holds(getNamedType(known))
  })
}

/** The schema's description of the first argument that uses a variable, at any depth. */
function argumentFor(schema: GraphQLSchema, node: OperationDefinitionNode, variable: string): string | undefined {
  const types = new TypeInfo(schema)
  let about: string | undefined
  visit(
    node,
    visitWithTypeInfo(types, {
      Argument: ({ value }) => {
        // Conditions of `@skip` and `@include` are not arguments of the field.
        if (types.getDirective() || value.kind !== Kind.VARIABLE) return
        if (value.name.value === variable) about ??= types.getArgument()?.description ?? undefined
      },
    }),
  )
  return about
}
