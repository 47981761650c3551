import type ts from 'typescript'
import { harmlessFunctions, readingMethods } from './builtins.js'
import type { Compiler } from './docs.js'
import { type Body, isWithin, type Names } from './names.js'

/** Determines which values only the function itself can reach. */
export class OwnValues {
  readonly #compiler: Compiler
  readonly #names: Names

  constructor(compiler: Compiler, names: Names) {
    this.#compiler = compiler
    this.#names = names
  }

  /** True for values derived from arguments or created by the function, which it may modify without side effects. */
  isOwn(expression: ts.Expression, fn: ts.Node, seen: ReadonlySet<ts.Node> = new Set()): boolean {
    const compiler = this.#compiler
    const node = this.#names.bare(expression)
    const inner = (one: ts.Expression) => this.isOwn(one, fn, seen)
    if (compiler.isIdentifier(node)) return this.#isOwnVariable(node, fn, seen)
    if (compiler.isPropertyAccessExpression(node) || compiler.isElementAccessExpression(node))
      return inner(node.expression)
    if (compiler.isConditionalExpression(node)) return inner(node.whenTrue) && inner(node.whenFalse)
    if (compiler.isAwaitExpression(node)) return inner(node.expression)
    if (compiler.isBinaryExpression(node)) {
      const isChoice = [
        compiler.SyntaxKind.BarBarToken,
        compiler.SyntaxKind.QuestionQuestionToken,
        compiler.SyntaxKind.AmpersandAmpersandToken,
      ].includes(node.operatorToken.kind as never)
      return isChoice ? inner(node.left) && inner(node.right) : true
    }
    if (compiler.isArrayLiteralExpression(node))
      return node.elements.every((one) => inner(compiler.isSpreadElement(one) ? one.expression : one))
    if (compiler.isObjectLiteralExpression(node)) return true
    if (compiler.isNewExpression(node)) return (node.arguments ?? []).every(inner)
    if (node.kind === compiler.SyntaxKind.ThisKeyword) return compiler.isConstructorDeclaration(fn)
    if (compiler.isCallExpression(node)) {
      const callee = this.#names.bare(node.expression)
      const isOwner =
        !compiler.isPropertyAccessExpression(callee) ||
        this.#names.isGlobalName(callee.expression) ||
        inner(callee.expression)
      return (
        isOwner &&
        node.arguments.every(
          (one) => compiler.isFunctionLike(one) || inner(compiler.isSpreadElement(one) ? one.expression : one),
        ) &&
        this.#givesOwn(callee, fn)
      )
    }
    return !compiler.isFunctionLike(node)
  }

  /** True if the result of a function depends only on its arguments, not on state of its module. */
  #givesOwn(callee: ts.Expression, fn: ts.Node): boolean {
    const compiler = this.#compiler
    if (compiler.isPropertyAccessExpression(callee)) {
      const body = this.#names.bodyOf(this.#names.symbolOf(callee.name))
      return body
        ? this.#keepsNothing(body)
        : readingMethods.has(callee.name.text) || this.#names.isGlobalName(callee.expression)
    }
    if (!compiler.isIdentifier(callee)) return false
    if (this.#names.isGlobal(callee)) return harmlessFunctions.has(callee.text)
    const body = this.#names.bodyOf(this.#names.symbolOf(callee))
    return body !== undefined && (isWithin(body, fn) || this.#keepsNothing(body))
  }

  /** True if its body uses no variables of the module, except functions, classes, numbers and strings. */
  #keepsNothing(fn: Body): boolean {
    const compiler = this.#compiler
    let keepsNothing = true
    const look = (node: ts.Node): void => {
      if (!keepsNothing || compiler.isTypeNode(node)) return
      if (
        compiler.isIdentifier(node) &&
        !(compiler.isPropertyAccessExpression(node.parent) && node.parent.name === node)
      ) {
        const declaration = this.#names.declarationOf(node)
        if (declaration && !isWithin(declaration, fn) && compiler.isVariableDeclaration(declaration)) {
          const value = declaration.initializer
          keepsNothing =
            value !== undefined && (compiler.isLiteralExpression(value) || compiler.isFunctionLike(value))
        }
      }
      compiler.forEachChild(node, look)
    }
    look(fn.body)
    return keepsNothing
  }

  #isOwnVariable(name: ts.Identifier, fn: ts.Node, seen: ReadonlySet<ts.Node>): boolean {
    const compiler = this.#compiler
    if (/^(undefined|NaN|Infinity)$/.test(name.text)) return true
    const declaration = this.#names.declarationOf(name)
    if (!declaration || !isWithin(declaration, fn)) return false
    if (seen.has(declaration)) return true
    const now = new Set([...seen, declaration])
    let at: ts.Node = declaration
    while (
      compiler.isBindingElement(at) ||
      compiler.isObjectBindingPattern(at) ||
      compiler.isArrayBindingPattern(at)
    )
      at = at.parent
    if (compiler.isParameter(at)) return at.parent === fn || this.#isOwnCallback(at, fn, now)
    if (!compiler.isVariableDeclaration(at)) return compiler.isFunctionLike(at)
    const source = at.initializer ?? loopSource(compiler, at)
    return (
      (source === undefined || this.isOwn(source, fn, now)) &&
      this.#assignedTo(declaration, fn).every((value) => this.isOwn(value, fn, now))
    )
  }

  /** `hives.forEach((hive) => …)`: an item belongs to the function if its list does. */
  #isOwnCallback(parameter: ts.ParameterDeclaration, fn: ts.Node, seen: ReadonlySet<ts.Node>): boolean {
    const call = parameter.parent.parent
    const compiler = this.#compiler
    if (!compiler.isCallExpression(call))
      return compiler.isVariableDeclaration(call) || compiler.isFunctionDeclaration(parameter.parent)
    const callee = this.#names.bare(call.expression)
    const sources = [
      ...(compiler.isPropertyAccessExpression(callee) ? [callee.expression] : []),
      ...call.arguments.filter((arg) => !compiler.isFunctionLike(arg)),
    ]
    return sources.every((source) => this.#names.isGlobalName(source) || this.isOwn(source, fn, seen))
  }

  #assignedTo(declaration: ts.Node, fn: ts.Node): ts.Expression[] {
    const compiler = this.#compiler
    const found: ts.Expression[] = []
    const look = (node: ts.Node): void => {
      if (compiler.isBinaryExpression(node) && node.operatorToken.kind === compiler.SyntaxKind.EqualsToken) {
        const target = this.#names.bare(node.left)
        if (compiler.isIdentifier(target) && this.#names.declarationOf(target) === declaration)
          found.push(node.right)
      }
      compiler.forEachChild(node, look)
    }
    look(fn)
    return found
  }
}

function loopSource(compiler: Compiler, declaration: ts.VariableDeclaration): ts.Expression | undefined {
  const loop = declaration.parent.parent
  return compiler.isForOfStatement(loop) ? loop.expression : undefined
}
