import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import type { Compiler } from './docs.js'
import { Unfit } from './known-types.js'
import { literalShape, plain, type Shape, templatePattern } from './shapes.js'

/** What the reading of a type needs of the compiler. */
export interface TypeContext {
  readonly compiler: Compiler
  readonly checker: ts.TypeChecker
  /** Called for a type that is narrower than its schema. */
  narrow(): void
}

type TypeFlag = keyof typeof ts.TypeFlags

export const isKind = (compiler: Compiler, type: ts.Type, flag: TypeFlag): boolean =>
  (type.flags & compiler.TypeFlags[flag]) !== 0

/** The shape of a primitive, literal or enum member; undefined for other types. Throws `Unfit` if JSON has no such value. */
export function simpleShape(context: TypeContext, type: ts.Type): Shape | undefined {
  const { compiler, checker } = context
  const is = (flag: TypeFlag) => isKind(compiler, type, flag)
  if (is('Never')) throw new Unfit('its type is never, which no value has', 'fix the type')
  if (is('EnumLiteral') && !type.isUnion()) return enumShape(context, [type])
  if (type.isStringLiteral()) return plain({ type: 'string', const: type.value })
  if (type.isNumberLiteral()) return plain({ type: 'number', const: type.value })
  if (is('BooleanLiteral')) return plain({ type: 'boolean', const: checker.typeToString(type) === 'true' })
  if (is('TemplateLiteral')) return narrower(context, { type: 'string', pattern: patternOf(compiler, type) })
  if (is('String') || is('StringMapping')) return plain({ type: 'string' })
  if (is('Number')) return plain({ type: 'number' })
  if (is('Boolean')) return plain({ type: 'boolean' })
  if (is('BigIntLike')) return { schema: { type: 'string', pattern: '^-?\\d+$' }, conversion: { as: 'bigint' } }
  if (is('Null') || is('Undefined') || is('Void')) return plain({ type: 'null' })
  if (is('ESSymbolLike')) throw new Unfit('a symbol cannot be JSON', 'use a string instead')
  return undefined
}

/** Numeric members keep their labels as titles. */
export function enumShape(context: TypeContext, members: readonly ts.Type[]): Shape {
  const values = members.map((member) => ({
    value: (member as ts.LiteralType).value as string | number,
    label: context.checker.symbolToString(member.symbol),
  }))
  if (values.every(({ value }) => typeof value === 'string')) {
    context.narrow()
    return literalShape(values.map(({ value }) => ({ value })))
  }
  return plain({ oneOf: values.map(({ value, label }) => ({ const: value, title: label.replace(/^.*\./, '') })) })
}

/** Literals keep their order if the union has a name; otherwise numbers are sorted. */
export function declaredOrder(compiler: Compiler, type: ts.UnionType): (literal: ts.LiteralType) => number {
  const declaration = type.aliasSymbol?.declarations?.find(compiler.isTypeAliasDeclaration)
  const node = declaration?.type
  if (!node || !compiler.isUnionTypeNode(node)) return ({ value }) => (typeof value === 'number' ? value : 0)
  const written = node.types.map((member) => member.getText().replace(/^['"`]|['"`]$/g, ''))
  return ({ value }) => written.indexOf(String(value))
}

export function isPrimitive(compiler: Compiler, type: ts.Type): boolean {
  const { StringLike, NumberLike, BooleanLike, BigIntLike } = compiler.TypeFlags
  return (type.flags & (StringLike | NumberLike | BooleanLike | BigIntLike)) !== 0
}

function narrower(context: TypeContext, schema: JsonSchema): Shape {
  context.narrow()
  return plain(schema)
}

function patternOf(compiler: Compiler, type: ts.Type): string {
  const { texts, types } = type as ts.TemplateLiteralType
  return templatePattern(
    texts,
    types.map((part) => {
      if (isKind(compiler, part, 'NumberLike')) return 'number'
      if (isKind(compiler, part, 'BigIntLike')) return 'bigint'
      return part.isUnion() ? part.types.map((member) => String((member as ts.LiteralType).value ?? '')) : 'text'
    }),
  )
}
