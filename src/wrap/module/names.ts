import type ts from 'typescript'
import { harmlessNamespaces } from './builtins.js'
import type { Compiler } from './docs.js'
import { isPlatformFile } from './known-types.js'

/** A function, method or constructor with a body. */
export type Body = ts.FunctionLikeDeclaration & { body: ts.Node }

/** Maximum number of names that are followed to find a function. */
const maxSteps = 10

/** Resolves names to declarations, and to functions with a body. */
export class Names {
  readonly #compiler: Compiler
  readonly #checker: ts.TypeChecker

  constructor(compiler: Compiler, checker: ts.TypeChecker) {
    this.#compiler = compiler
    this.#checker = checker
  }

  bodyOf(symbol: ts.Symbol | undefined, steps = 0): Body | undefined {
    const { SymbolFlags } = this.#compiler
    const real = symbol && symbol.flags & SymbolFlags.Alias ? this.#checker.getAliasedSymbol(symbol) : symbol
    for (const declaration of real?.declarations ?? []) {
      const found = this.asBody(declaration, steps)
      if (found) return found
    }
    return undefined
  }

  /** The function that a declaration or an expression refers to. References may be circular. */
  asBody(node: ts.Node | undefined, before = 0): Body | undefined {
    const compiler = this.#compiler
    const steps = before + 1
    if (!node || steps > maxSteps) return undefined
    if (compiler.isFunctionLike(node)) return 'body' in node && node.body ? (node as Body) : undefined
    const isNamed =
      compiler.isVariableDeclaration(node) ||
      compiler.isPropertyAssignment(node) ||
      compiler.isPropertyDeclaration(node)
    if (isNamed && node.initializer) return this.asBody(this.bare(node.initializer), steps)
    if (compiler.isShorthandPropertyAssignment(node))
      return this.bodyOf(this.#checker.getShorthandAssignmentValueSymbol(node), steps)
    // `exports.weigh = function …` and `Hive.prototype.weigh = …` in JavaScript.
    const parent = node.parent
    if (parent && compiler.isBinaryExpression(parent)) return this.asBody(this.bare(parent.right), steps)
    if (compiler.isIdentifier(node)) return this.bodyOf(this.#checker.getSymbolAtLocation(node), steps)
    return undefined
  }

  declarationOf(name: ts.Identifier): ts.Node | undefined {
    const parent = name.parent
    const symbol =
      this.#compiler.isShorthandPropertyAssignment(parent) && parent.name === name
        ? this.#checker.getShorthandAssignmentValueSymbol(parent)
        : this.#checker.getSymbolAtLocation(name)
    return symbol?.valueDeclaration ?? symbol?.declarations?.[0]
  }

  isInside(name: ts.Identifier, fn: ts.Node): boolean {
    const declaration = this.declarationOf(name)
    return declaration !== undefined && isWithin(declaration, fn)
  }

  isGlobalName(node: ts.Expression): boolean {
    return (
      this.#compiler.isIdentifier(node) &&
      this.isGlobal(node) &&
      (harmlessNamespaces.has(node.text) || /^(Object|Reflect)$/.test(node.text))
    )
  }

  isGlobal(name: ts.Identifier): boolean {
    const declaration = this.declarationOf(name)
    return declaration === undefined || isPlatformFile(declaration.getSourceFile().fileName)
  }

  bare(node: ts.Expression): ts.Expression {
    const compiler = this.#compiler
    let at = node
    while (
      compiler.isParenthesizedExpression(at) ||
      compiler.isAsExpression(at) ||
      compiler.isNonNullExpression(at) ||
      compiler.isSatisfiesExpression(at)
    )
      at = at.expression
    return at
  }

  symbolOf(node: ts.Node): ts.Symbol | undefined {
    return this.#checker.getSymbolAtLocation(node)
  }
}

export const isWithin = (node: ts.Node, outer: ts.Node): boolean => {
  for (let at: ts.Node | undefined = node; at; at = at.parent) if (at === outer) return true
  return false
}
