import type ts from 'typescript'
import {
  ambiguousMethods,
  harmlessClasses,
  harmlessFunctions,
  harmlessNamespaces,
  harmlessOfObject,
  readingMethods,
  writingMethods,
  writingToFirst,
} from './builtins.js'
import type { Compiler } from './docs.js'
import { isPlatformFile } from './known-types.js'
import { type Body, isWithin, Names } from './names.js'
import { OwnValues } from './own-values.js'

/** Maximum depth of followed calls, and maximum number of nodes for one function. */
const limits = { depth: 12, nodes: 20_000 }

/**
 * Determines from their bodies whether functions have side effects. Arguments come from JSON, so modifying them or
 * values derived from them is not a side effect. Unknown code, such as a call into a package without source, counts as
 * one.
 */
export class BodyReader {
  readonly #compiler: Compiler
  readonly #checker: ts.TypeChecker
  readonly #names: Names
  readonly #own: OwnValues
  readonly #known = new Map<ts.Node, boolean>()
  readonly #assumed = new Set<ts.Node>()
  #depth = 0
  #nodes = 0

  constructor(compiler: Compiler, checker: ts.TypeChecker) {
    this.#compiler = compiler
    this.#checker = checker
    this.#names = new Names(compiler, checker)
    this.#own = new OwnValues(compiler, this.#names)
  }

  /** True if the function of a symbol or signature has no side effects; false if that is unknown. */
  onlyReads(symbol: ts.Symbol, type: ts.Type): boolean {
    this.#nodes = 0
    const body = this.#names.bodyOf(symbol) ?? this.#names.asBody(type.getCallSignatures()[0]?.declaration)
    const isHarmless = this.#judged(body, symbol)
    // Results that were assumed on the way may depend on a function that turned out to have side effects.
    if (!isHarmless) for (const fn of this.#assumed) this.#known.delete(fn)
    this.#assumed.clear()
    return isHarmless
  }

  /** Deeply nested code counts as unknown. */
  #judged(body: Body | undefined, symbol: ts.Symbol): boolean {
    try {
      return body ? this.#isHarmless(body) : this.#isHarmlessMade(symbol)
    } catch (error) {
      if (!(error instanceof RangeError)) throw error
      this.#known.clear()
      this.#depth = 0
      return false
    }
  }

  /** `const add = curried((a, b) => a + b)`: free of side effects if its arguments are. */
  #isHarmlessMade(symbol: ts.Symbol): boolean {
    const compiler = this.#compiler
    const declaration = symbol.valueDeclaration
    const isMade =
      declaration && (compiler.isVariableDeclaration(declaration) || compiler.isPropertyAssignment(declaration))
    const call = isMade && declaration.initializer ? this.#names.bare(declaration.initializer) : undefined
    if (!call || !compiler.isCallExpression(call) || !compiler.isIdentifier(call.expression)) return false
    const maker = this.#names.bodyOf(this.#names.symbolOf(call.expression))
    const parts = call.arguments.map((arg) => this.#names.asBody(this.#names.bare(arg)))
    const isAllKnown = parts.every(
      (part, at) => part !== undefined || compiler.isLiteralExpression(call.arguments[at] as ts.Node),
    )
    return (
      maker !== undefined &&
      isAllKnown &&
      [maker, ...parts].every((part) => part === undefined || this.#isHarmless(part))
    )
  }

  #isHarmless(fn: Body): boolean {
    const known = this.#known.get(fn)
    if (known !== undefined) return known
    if (this.#depth >= limits.depth) return false
    // A recursive function is judged by the rest of its body.
    this.#known.set(fn, true)
    this.#depth++
    const isHarmless = [...fn.parameters, fn.body].every((node) => this.#holds(node, fn))
    this.#depth--
    this.#known.set(fn, isHarmless)
    if (isHarmless) this.#assumed.add(fn)
    return isHarmless
  }

  /** True if no node below writes outside of `fn`. */
  #holds(node: ts.Node, fn: ts.Node): boolean {
    if (++this.#nodes > limits.nodes) return false
    const compiler = this.#compiler
    if (compiler.isTypeNode(node)) return true
    if (!this.#isFine(node, fn)) return false
    let holds = true
    compiler.forEachChild(node, (child) => {
      holds &&= this.#holds(child, fn)
    })
    return holds
  }

  #isFine(node: ts.Node, fn: ts.Node): boolean {
    const compiler = this.#compiler
    const { SyntaxKind } = compiler
    if (compiler.isBinaryExpression(node) && isAssignment(compiler, node.operatorToken.kind))
      return this.#mayWriteTo(node.left, fn)
    if (compiler.isPrefixUnaryExpression(node) || compiler.isPostfixUnaryExpression(node)) {
      const isStep = node.operator === SyntaxKind.PlusPlusToken || node.operator === SyntaxKind.MinusMinusToken
      return !isStep || this.#mayWriteTo(node.operand, fn)
    }
    if (compiler.isDeleteExpression(node)) return this.#mayWriteTo(node.expression, fn)
    if (compiler.isTaggedTemplateExpression(node)) return this.#mayCall(node.tag, [], fn)
    if (compiler.isCallExpression(node)) return this.#mayCall(this.#names.bare(node.expression), node.arguments, fn)
    if (compiler.isNewExpression(node)) return this.#mayConstruct(this.#names.bare(node.expression), fn)
    return true
  }

  #mayWriteTo(target: ts.Expression, fn: ts.Node): boolean {
    const compiler = this.#compiler
    const node = this.#names.bare(target)
    if (compiler.isIdentifier(node)) return this.#names.isInside(node, fn)
    if (compiler.isPropertyAccessExpression(node) || compiler.isElementAccessExpression(node))
      return this.#own.isOwn(node.expression, fn)
    if (compiler.isArrayLiteralExpression(node))
      return node.elements.every((element) => this.#mayWriteTo(element, fn))
    return false
  }

  #mayCall(callee: ts.Expression, args: readonly ts.Expression[], fn: ts.Node): boolean {
    const compiler = this.#compiler
    if (compiler.isFunctionExpression(callee) || compiler.isArrowFunction(callee)) return true
    if (callee.kind === compiler.SyntaxKind.SuperKeyword) return true
    const areArgumentsFine = args.every((arg) => this.#isFineAsArgument(arg, fn))
    if (!areArgumentsFine) return false
    if (compiler.isIdentifier(callee)) return this.#isHarmlessName(callee, args, fn)
    // JSON contains no functions, so a method called on an argument is one of the language, or was created here.
    if (!compiler.isPropertyAccessExpression(callee))
      return compiler.isElementAccessExpression(callee) && this.#own.isOwn(callee.expression, fn)
    const { expression: owner, name } = callee
    // `Object.prototype.hasOwnProperty.call(value, key)`
    const borrowed = /^(?:Object|Array|String)\.prototype\.(\w+)$/.exec(owner.getText())?.[1]
    if (name.text === 'call' && borrowed !== undefined) return readingMethods.has(borrowed)
    if (compiler.isIdentifier(owner) && this.#names.isGlobal(owner)) {
      if (harmlessNamespaces.has(owner.text)) return true
      if (owner.text === 'Object' || owner.text === 'Reflect') {
        const [first] = args
        return (
          harmlessOfObject.has(name.text) &&
          (!writingToFirst.has(name.text) || (first !== undefined && this.#own.isOwn(first, fn)))
        )
      }
    }
    const body = this.#names.bodyOf(this.#names.symbolOf(name))
    if (body) return this.#isHarmless(body)
    if (this.#own.isOwn(owner, fn)) return true
    const isReading = readingMethods.has(name.text) && !ambiguousMethods.has(name.text)
    return !writingMethods.has(name.text) && (isReading || this.#isPattern(owner))
  }

  #isPattern(node: ts.Expression): boolean {
    const compiler = this.#compiler
    if (compiler.isRegularExpressionLiteral(node)) return true
    const declaration = compiler.isIdentifier(node) ? this.#names.declarationOf(node) : undefined
    const value = declaration && compiler.isVariableDeclaration(declaration) ? declaration.initializer : undefined
    return value !== undefined && compiler.isRegularExpressionLiteral(value)
  }

  /** A function that is passed as an argument counts as called. */
  #isFineAsArgument(arg: ts.Expression, fn: ts.Node): boolean {
    const node = this.#names.bare(arg)
    if (!this.#compiler.isIdentifier(node) || this.#names.isInside(node, fn)) return true
    const body = this.#names.bodyOf(this.#names.symbolOf(node))
    return body === undefined || this.#isHarmless(body)
  }

  #isHarmlessName(name: ts.Identifier, args: readonly ts.Expression[], fn: ts.Node): boolean {
    if (this.#names.isGlobal(name)) return harmlessFunctions.has(name.text)
    const declaration = this.#names.declarationOf(name)
    const value =
      declaration && this.#compiler.isVariableDeclaration(declaration) ? declaration.initializer : undefined
    // `const assign = Object.assign`
    if (value && this.#compiler.isPropertyAccessExpression(value) && this.#names.isGlobalName(value.expression))
      return this.#mayCall(value, args, fn)
    const body = this.#names.bodyOf(this.#names.symbolOf(name))
    if (body && isWithin(body, fn)) return true
    if (body) return this.#isHarmless(body)
    // A callback parameter is never passed, or is created by the function.
    return this.#isParameter(name, fn)
  }

  #mayConstruct(name: ts.Expression, fn: ts.Node): boolean {
    const compiler = this.#compiler
    if (compiler.isPropertyAccessExpression(name))
      return harmlessClasses.has(name.name.text) || this.#own.isOwn(name.expression, fn)
    if (!compiler.isIdentifier(name)) return false
    if (this.#names.isGlobal(name)) return harmlessClasses.has(name.text)
    const symbol = this.#names.symbolOf(name)
    const real =
      symbol && symbol.flags & compiler.SymbolFlags.Alias ? this.#checker.getAliasedSymbol(symbol) : symbol
    const declaration = real?.valueDeclaration
    if (!declaration || !compiler.isClassLike(declaration)) return false
    if (isPlatformFile(declaration.getSourceFile().fileName)) return harmlessClasses.has(name.text)
    return declaration.members.every((member) => {
      if (compiler.isPropertyDeclaration(member))
        return !member.initializer || this.#holds(member.initializer, declaration)
      return !compiler.isConstructorDeclaration(member) || !member.body || this.#holds(member.body, member)
    })
  }

  #isParameter(name: ts.Identifier, fn: ts.Node): boolean {
    const declaration = this.#names.declarationOf(name)
    return (
      declaration !== undefined &&
      isWithin(declaration, fn) &&
      (this.#compiler.isParameter(declaration) || this.#compiler.isBindingElement(declaration))
    )
  }
}

function isAssignment({ SyntaxKind }: Compiler, kind: ts.SyntaxKind): boolean {
  return kind >= SyntaxKind.FirstAssignment && kind <= SyntaxKind.LastAssignment
}
