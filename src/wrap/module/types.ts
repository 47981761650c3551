import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import type { JsonObject } from '../../protocol/messages.js'
import type { Conversion, Definitions } from './conversion.js'
import { type Compiler, docsOf } from './docs.js'
import { knownType, Unfit } from './known-types.js'
import { keywordsOfType, withKeywords } from './schema-types.js'
import { constrained, literalShape, plain, type Shape, tupleShape, unionOf } from './shapes.js'
import { declaredOrder, enumShape, isKind, isPrimitive, simpleShape, type TypeContext } from './simple-types.js'
import { TypeNames } from './type-names.js'

/** An optional member that JSON cannot represent. */
export interface Omitted {
  /** Path below the argument; empty for a branch of its union. */
  readonly path: readonly string[]
  readonly reason: string
}

/** Converts types in one direction (input or output) to JSON Schema 2020-12; recursive types become definitions. */
export class TypeReader {
  readonly #compiler: Compiler
  readonly #checker: ts.TypeChecker
  /** Input schemas are closed, so that misspelled arguments are detected; output schemas allow more properties. */
  readonly #direction: 'in' | 'out'
  readonly #at: ts.Node
  readonly #names = new TypeNames()
  #isNarrower = false
  readonly #context: TypeContext
  readonly #omitted: Omitted[] = []

  constructor(compiler: Compiler, checker: ts.TypeChecker, direction: 'in' | 'out', at: ts.Node) {
    this.#compiler = compiler
    this.#checker = checker
    this.#direction = direction
    this.#at = at
    this.#context = {
      compiler,
      checker,
      narrow: () => {
        this.#isNarrower = true
      },
    }
  }

  /** Schemas and conversions of recursive types, by name. */
  get definitions(): Definitions {
    return this.#names.definitions
  }

  /** The name of the type that a schema was read from, by its JSON. */
  typeNameOf(json: string): string | undefined {
    return this.#names.typeNameOf(json)
  }

  /** Leaves out members that JSON cannot represent. */
  omit({ path, message }: Unfit): void {
    this.#omitted.push({ path, reason: message })
  }

  /** Members that were omitted from input since the last call. */
  takeOmitted(): Omitted[] {
    return this.#omitted.splice(0)
  }

  /**
   * True if a type since the last call was narrower than its schema: names of enums, brands, text patterns, references.
   */
  takeNarrower(): boolean {
    const was = this.#isNarrower
    this.#isNarrower = false
    return was
  }

  /** Throws `Unfit` if JSON cannot represent the type. */
  read(type: ts.Type): Shape {
    return this.pruned(this.#shapeOf(type))
  }

  /** Removes a conversion that changes nothing; only valid once the whole type is read. */
  pruned(shape: Shape): Shape {
    return this.#names.pruned(shape)
  }

  /** Constraints from the doc comments of named types that a type node refers to, such as `type Percent = number`. */
  aliasConstraints(node: ts.TypeNode | undefined): JsonObject {
    if (!node || !this.#compiler.isTypeReferenceNode(node)) return {}
    const named = this.#checker.getSymbolAtLocation(node.typeName)
    const alias =
      named && named.flags & this.#compiler.SymbolFlags.Alias ? this.#checker.getAliasedSymbol(named) : named
    if (!alias || !(alias.flags & this.#compiler.SymbolFlags.TypeAlias)) return {}
    const docs = docsOf(this.#compiler, this.#checker, alias)
    return { ...(docs.about === '' ? {} : { description: docs.about }), ...docs.constraints }
  }

  isKind(type: ts.Type, flag: keyof typeof ts.TypeFlags): boolean {
    return isKind(this.#compiler, type, flag)
  }

  #shapeOf(type: ts.Type): Shape {
    if ((type as { intrinsicName?: string }).intrinsicName === 'error') {
      throw new Unfit('its type cannot be resolved', 'fix the import or install the types')
    }
    if (this.isKind(type, 'Instantiable') && !simpleShape(this.#context, type))
      return this.#shapeOf(this.#checker.getBaseConstraintOfType(type) ?? this.#checker.getUnknownType())
    if (this.isKind(type, 'Any') || this.isKind(type, 'Unknown')) return plain({})
    const simple = simpleShape(this.#context, type)
    if (simple) return simple
    if (type.isUnion()) return this.#names.named(type, this.#union(type))
    if (type.isIntersection() && type.types.some((part) => isPrimitive(this.#compiler, part)))
      return this.#branded(type)
    if (this.isKind(type, 'NonPrimitive')) return plain({ type: 'object' })
    return this.#objectLike(type)
  }

  #union(type: ts.UnionType): Shape {
    const members = type.types.filter((member) => !this.isKind(member, 'Undefined') && !this.isKind(member, 'Void'))
    const [only] = members
    if (only && members.length === 1) return this.#shapeOf(only)
    if (members.every((member) => this.isKind(member, 'EnumLiteral'))) return enumShape(this.#context, members)
    const literals = members.filter((member) => member.isStringLiteral() || member.isNumberLiteral())
    const booleans = members.filter((member) => this.isKind(member, 'BooleanLiteral'))
    const isBoolean = booleans.length === 2
    const order = declaredOrder(this.#compiler, type)
    literals.sort((a, b) => order(a as ts.LiteralType) - order(b as ts.LiteralType))
    const others = members.filter(
      (member) => !literals.includes(member as never) && !(isBoolean && booleans.includes(member)),
    )
    const branches: Shape[] = [
      ...(literals.length > 0 ? [literalShape(literals as (ts.StringLiteralType | ts.NumberLiteralType)[])] : []),
      ...(isBoolean ? [plain({ type: 'boolean' })] : []),
      ...this.#fittingBranches(others, literals.length > 0 || isBoolean),
    ]
    return unionOf(branches)
  }

  /** The branches that JSON can represent. In input, others are removed. Throws `Unfit` if none is left. */
  #fittingBranches(members: readonly ts.Type[], hasOthers: boolean): Shape[] {
    if (this.#direction === 'out') return members.map((member) => this.#shapeOf(member))
    const unfit: Unfit[] = []
    const shapes = members.flatMap((member) => {
      const before = this.#omitted.length
      try {
        return [this.#shapeOf(member)]
      } catch (error) {
        if (!(error instanceof Unfit)) throw error
        this.#omitted.length = before
        unfit.push(error)
        return []
      }
    })
    const [first] = unfit
    const isNothingLeft = !hasOthers && shapes.every(({ schema }) => schema.type === 'null')
    if (first && isNothingLeft) throw first
    this.#omitted.push(...unfit.map(({ path, message }) => ({ path, reason: message })))
    return shapes
  }

  /** `string & { __brand: 'hive' }` is a string at run time. */
  #branded(type: ts.IntersectionType): Shape {
    const [primitive] = type.types.filter((part) => isPrimitive(this.#compiler, part))
    this.#isNarrower = true
    return this.#shapeOf(primitive as ts.Type)
  }

  #objectLike(type: ts.Type): Shape {
    const reference = this.#names.reference(type)
    if (!reference) return this.#names.read(type, () => this.#structure(type))
    this.#isNarrower = true
    return reference
  }

  #structure(type: ts.Type): Shape {
    const checker = this.#checker
    if (checker.isTupleType(type)) return this.#tuple(type as ts.TupleTypeReference)
    if (checker.isArrayType(type)) return this.#list(type)
    const known = knownType(this.#compiler, checker, type, this.#direction, (inner) => this.#shapeOf(inner))
    if (known) return known
    if (type.getCallSignatures().length > 0)
      throw new Unfit('a function cannot be JSON', `${this.#direction === 'in' ? 'accept' : 'return'} data instead`)
    return this.#object(type)
  }

  #list(type: ts.Type): Shape {
    const [element] = this.#checker.getTypeArguments(type as ts.TypeReference)
    const items = this.#shapeOf(element ?? this.#checker.getUnknownType())
    return {
      schema: { type: 'array', items: items.schema },
      conversion: items.conversion ? { as: 'list', items: items.conversion } : null,
    }
  }

  #tuple(type: ts.TupleTypeReference): Shape {
    const { Required, Rest, Variadic } = this.#compiler.ElementFlags
    const shapes = this.#checker.getTypeArguments(type).map((element) => this.#shapeOf(element))
    const flags = type.target.elementFlags
    return tupleShape(
      shapes.map((shape, at) => ({ shape, isRest: ((flags[at] ?? 0) & (Rest | Variadic)) !== 0 })),
      flags.filter((flag) => flag & Required).length,
    )
  }

  /** The return type of `toJSON` is trusted. */
  #ownJson(type: ts.Type): Shape | undefined {
    const method = this.#direction === 'out' ? this.#checker.getPropertyOfType(type, 'toJSON') : undefined
    const [signature] = method ? this.#checker.getTypeOfSymbolAtLocation(method, this.#at).getCallSignatures() : []
    if (!signature) return undefined
    const shape = this.#shapeOf(signature.getReturnType())
    return { schema: shape.schema, conversion: { as: 'own', json: shape.conversion } }
  }

  #object(type: ts.Type): Shape {
    const own = this.#ownJson(type)
    if (own) return own
    const properties: Record<string, JsonSchema> = {}
    const conversions: Record<string, Conversion> = {}
    const required: string[] = []
    for (const symbol of this.#checker.getPropertiesOfType(type)) {
      const property = this.property(symbol)
      if (!property) continue
      properties[symbol.name] = property.shape.schema
      if (property.shape.conversion) conversions[symbol.name] = property.shape.conversion
      if (!property.isOptional) required.push(symbol.name)
    }
    const index = this.#checker
      .getIndexInfosOfType(type)
      .find(({ keyType }) => !this.isKind(keyType, 'ESSymbolLike'))
    const others = index ? this.#shapeOf(index.type) : undefined
    const isEmpty = Object.keys(properties).length === 0
    // `{}` is anything but null and undefined, so there is no constraint.
    if (isEmpty && !others && type.symbol?.name === '__type' && this.#direction === 'out')
      return plain({ type: 'object' })
    const closed = this.#direction === 'in' ? { additionalProperties: false } : {}
    return {
      schema: {
        type: 'object',
        ...(isEmpty && others ? {} : { properties }),
        ...(required.length > 0 ? { required } : {}),
        ...(others ? { additionalProperties: others.schema } : closed),
      },
      conversion: this.#objectConversion(type, Object.keys(properties), conversions, others?.conversion ?? null),
    }
  }

  #objectConversion(
    type: ts.Type,
    names: readonly string[],
    properties: Readonly<Record<string, Conversion>>,
    others: Conversion | null,
  ): Conversion | null {
    // Only public members of an instance are visible, and getters count.
    const isInstance = type.symbol?.valueDeclaration && this.#compiler.isClassLike(type.symbol.valueDeclaration)
    if (isInstance && this.#direction === 'out') return { as: 'instance', names, properties }
    return Object.keys(properties).length > 0 || others ? { as: 'object', properties, others } : null
  }

  /**
   * One property of an object; undefined if it is irrelevant for JSON. Throws `Unfit` with the name of the property.
   */
  property(symbol: ts.Symbol): { shape: Shape; isOptional: boolean } | undefined {
    const { name } = symbol
    if (name.startsWith('__@') || name.startsWith('#')) return undefined
    const declaration = symbol.valueDeclaration ?? symbol.declarations?.[0]
    const { ModifierFlags, SymbolFlags } = this.#compiler
    const modifiers = declaration ? this.#compiler.getCombinedModifierFlags(declaration as ts.Declaration) : 0
    if (modifiers & (ModifierFlags.Private | ModifierFlags.Protected)) {
      if (this.#direction === 'out') return undefined
      throw new Unfit(
        `it has the private member ${name} of a class, which JSON cannot carry`,
        'accept an interface of plain data instead',
      )
    }
    const isMethod = (symbol.flags & SymbolFlags.Method) !== 0
    // In output, methods of a class are not data.
    if (
      isMethod &&
      this.#direction === 'out' &&
      declaration?.parent &&
      this.#compiler.isClassLike(declaration.parent)
    )
      return undefined
    const type = this.#checker.getTypeOfSymbolAtLocation(symbol, declaration ?? this.#at)
    if (this.#direction === 'in' && this.#isFilledByCall(name, type)) return undefined
    const docs = docsOf(this.#compiler, this.#checker, symbol)
    const node = declaration && 'type' in declaration ? (declaration.type as ts.TypeNode | undefined) : undefined
    const isOptional = (symbol.flags & SymbolFlags.Optional) !== 0 || this.mayBeUndefined(type)
    const before = this.#omitted.length
    try {
      const shape = this.#shapeOf(type)
      for (const [at, { path, reason }] of this.#omitted.slice(before).entries())
        this.#omitted[before + at] = { path: [name, ...path], reason }
      const keywords = keywordsOfType(this.#compiler, this.#checker, node)
      const withSaid = keywords ? { ...shape, schema: withKeywords(shape.schema, keywords) } : shape
      const said = docs.about === '' ? {} : { description: docs.about }
      const marked = docs.deprecated === undefined ? {} : { deprecated: true }
      return {
        shape: constrained(withSaid, { ...this.aliasConstraints(node), ...said, ...marked, ...docs.constraints }),
        isOptional,
      }
    } catch (error) {
      if (!(error instanceof Unfit)) throw error
      if (this.#direction === 'out' || !isOptional) throw error.within(name)
      this.#omitted.length = before
      this.#omitted.push({ path: [name, ...error.path], reason: error.message })
      return undefined
    }
  }

  /** A signal and a progress callback at the top of an options object are supplied by the call. */
  #isFilledByCall(name: string, type: ts.Type): boolean {
    if (this.#names.depth !== 1) return false
    const bare = this.#checker.getNonNullableType(type)
    return bare.symbol?.name === 'AbortSignal' || (name === 'onProgress' && bare.getCallSignatures().length > 0)
  }

  mayBeUndefined(type: ts.Type): boolean {
    return (
      type.isUnion() && type.types.some((member) => this.isKind(member, 'Undefined') || this.isKind(member, 'Void'))
    )
  }
}
