import type ts from 'typescript'
import type { JsonObject } from '../../protocol/messages.js'
import type { Compiler } from './docs.js'

/** A literal default becomes part of the schema; a computed one only makes the argument optional. */
export function defaultOf(compiler: Compiler, initializer: ts.Expression | undefined): JsonObject {
  const value = initializer ? literalValue(compiler, initializer) : undefined
  return value === undefined ? {} : { default: value }
}

/** The value of an expression that consists of literals; undefined for others. */
export function literalValue(compiler: Compiler, node: ts.Expression): unknown {
  if (compiler.isStringLiteralLike(node)) return node.text
  if (compiler.isNumericLiteral(node)) return Number(node.text)
  if (node.kind === compiler.SyntaxKind.TrueKeyword) return true
  if (node.kind === compiler.SyntaxKind.FalseKeyword) return false
  if (node.kind === compiler.SyntaxKind.NullKeyword) return null
  if (compiler.isPrefixUnaryExpression(node) && node.operator === compiler.SyntaxKind.MinusToken) {
    const value = literalValue(compiler, node.operand)
    return typeof value === 'number' ? -value : undefined
  }
  if (
    compiler.isAsExpression(node) ||
    compiler.isSatisfiesExpression(node) ||
    compiler.isParenthesizedExpression(node)
  ) {
    return literalValue(compiler, node.expression)
  }
  if (
    compiler.isNewExpression(node) &&
    /^(Date|URL)$/.test(node.expression.getText()) &&
    node.arguments?.length === 1
  ) {
    return literalValue(compiler, node.arguments[0] as ts.Expression)
  }
  if (compiler.isArrayLiteralExpression(node)) {
    const items = node.elements.map((element) => literalValue(compiler, element))
    return items.includes(undefined) ? undefined : items
  }
  return compiler.isObjectLiteralExpression(node) ? literalObject(compiler, node) : undefined
}

function literalObject(compiler: Compiler, node: ts.ObjectLiteralExpression): JsonObject | undefined {
  const entries: [string, unknown][] = []
  for (const property of node.properties) {
    if (!compiler.isPropertyAssignment(property)) return undefined
    const { name } = property
    if (!compiler.isIdentifier(name) && !compiler.isStringLiteralLike(name)) return undefined
    const value = literalValue(compiler, property.initializer)
    if (value === undefined) return undefined
    entries.push([name.text, value])
  }
  return Object.fromEntries(entries)
}
