import {
  type GraphQLInputType,
  type GraphQLLeafType,
  type GraphQLOutputType,
  isEnumType,
  isInputObjectType,
  isLeafType,
  isListType,
  isNonNullType,
} from 'graphql'
import type { JsonSchema } from '../../kit/schema.js'

/** JSON schemas of well-known scalars; unknown scalars can have any value. */
const scalars: Readonly<Record<string, JsonSchema>> = {
  ID: { type: 'string' },
  String: { type: 'string' },
  Int: { type: 'integer', minimum: -2147483648, maximum: 2147483647 },
  Float: { type: 'number' },
  Boolean: { type: 'boolean' },
  Date: { type: 'string', format: 'date' },
  DateTime: { type: 'string', format: 'date-time' },
  URI: { type: 'string' },
  URL: { type: 'string' },
  UUID: { type: 'string', format: 'uuid' },
  EmailAddress: { type: 'string', format: 'email' },
}

function leafSchema(type: GraphQLLeafType): JsonSchema {
  if (!isEnumType(type)) {
    const known = scalars[type.name]
    return known ?? (type.description ? { description: firstLine(type.description) } : {})
  }
  return { type: 'string', enum: type.getValues().map(({ name }) => name) }
}

/** Input types as JSON Schema: input objects become definitions, which may refer to each other. */
export class InputTypes {
  readonly definitions: Record<string, JsonSchema> = {}

  /** Schema of an argument, which is nullable unless its type is non-null. */
  givenSchema(type: GraphQLInputType): JsonSchema {
    const schema = this.schemaOf(type)
    // Some chat endpoints reject lists of types.
    return isNonNullType(type) ? schema : { anyOf: [schema, { type: 'null' }] }
  }

  /** Without null, even if the type is nullable. */
  schemaOf(type: GraphQLInputType): JsonSchema {
    if (isNonNullType(type)) return this.schemaOf(type.ofType)
    if (isListType(type)) return { type: 'array', items: this.#nested(type.ofType) }
    if (!isInputObjectType(type)) return leafSchema(type)
    if (!(type.name in this.definitions)) {
      this.definitions[type.name] = {}
      const fields = Object.values(type.getFields())
      const required = fields.filter((field) => isNonNullType(field.type) && field.defaultValue === undefined)
      this.definitions[type.name] = {
        type: 'object',
        ...(type.description ? { description: firstLine(type.description) } : {}),
        properties: Object.fromEntries(
          fields.map((field) => [field.name, described(this.#nested(field.type), field.description)]),
        ),
        ...(required.length > 0 ? { required: required.map(({ name }) => name) } : {}),
        additionalProperties: false,
        ...(type.isOneOf ? { minProperties: 1, maxProperties: 1 } : {}),
      }
    }
    return { $ref: `#/$defs/${type.name}` }
  }

  #nested(type: GraphQLInputType): JsonSchema {
    return isNonNullType(type) ? this.schemaOf(type) : orNull(this.schemaOf(type))
  }
}

/** Schema of a leaf or of lists of leaves in a response. */
export function outputSchema(type: GraphQLOutputType, inner: (named: GraphQLOutputType) => JsonSchema): JsonSchema {
  if (isNonNullType(type)) return bare(type.ofType, inner)
  return orNull(bare(type, inner))
}

function bare(type: GraphQLOutputType, inner: (named: GraphQLOutputType) => JsonSchema): JsonSchema {
  if (isListType(type)) return { type: 'array', items: outputSchema(type.ofType, inner) }
  return isLeafType(type) ? leafSchema(type) : inner(type)
}

function orNull(schema: JsonSchema): JsonSchema {
  if (Array.isArray(schema.enum))
    return { ...schema, type: [schema.type as string, 'null'], enum: [...schema.enum, null] }
  if (typeof schema.type === 'string') return { ...schema, type: [schema.type, 'null'] }
  return Object.keys(schema).length === 0 ? schema : { anyOf: [schema, { type: 'null' }] }
}

export const described = (schema: JsonSchema, about: string | null | undefined): JsonSchema =>
  about ? { ...schema, description: firstLine(about) } : schema

/** The first paragraph, on one line. */
export const firstLine = (text: string): string =>
  (text.trim().split(/\n\s*\n/)[0] ?? '').replace(/\s+/g, ' ').slice(0, 400)
