import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import type { JsonObject } from '../../protocol/messages.js'
import { type Compiler, type Docs, docsOf } from './docs.js'
import { isStream, Unfit } from './known-types.js'
import type { FunctionReading, Parameter, Result } from './reading.js'
import { constrained, type Shape } from './shapes.js'
import { type Omitted, TypeReader } from './types.js'

/** An argument of the tool while the signature is read. */
interface Argument {
  name: string
  shape: Shape
  isRequired: boolean
}
interface Place {
  compiler: Compiler
  checker: ts.TypeChecker
  docs: Docs
  node: ts.Node
}

/** Parameters of a function as the arguments of a tool. Throws `Unfit` with the name of the parameter that cannot be JSON. */
export function readParameters(
  place: Place,
  signature: ts.Signature,
): Pick<FunctionReading, 'parameters' | 'input' | 'inputDefinitions' | 'omitted'> {
  const types = new TypeReader(place.compiler, place.checker, 'in', place.node)
  const args: Argument[] = []
  const symbols = signature.getParameters()
  const omitted: string[] = []
  const parameters = symbols.map((symbol): Parameter => {
    const name = shownName(place.compiler, symbol)
    const note = ({ path, reason }: Omitted) => omitted.push(`${[name, ...path].join('.')}: ${reason}`)
    try {
      const parameter = readParameter(place, types, symbol, args)
      for (const one of types.takeOmitted()) note(one)
      return parameter
    } catch (error) {
      if (!(error instanceof Unfit)) throw error
      types.takeOmitted()
      if (!isOptionalParameter(place, types, symbol)) throw error.within(name)
      note({ path: error.path, reason: error.message })
      return { kind: 'absent' }
    }
  })
  const { schemas } = types.definitions
  const required = args.filter(({ isRequired }) => isRequired).map(({ name }) => name)
  const input: JsonSchema = {
    type: 'object',
    properties: Object.fromEntries(args.map(({ name, shape }) => [name, shape.schema])),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: false,
    ...(schemas ? { $defs: schemas } : {}),
  }
  return { parameters, input, inputDefinitions: types.definitions, omitted }
}

function readParameter(place: Place, types: TypeReader, symbol: ts.Symbol, args: Argument[]): Parameter {
  const { compiler, checker, docs } = place
  const declaration = symbol.valueDeclaration as ts.ParameterDeclaration | undefined
  const type = checker.getTypeOfSymbolAtLocation(symbol, declaration ?? place.node)
  const bare = checker.getNonNullableType(type)
  if (isAbortSignal(bare)) return { kind: 'signal' }
  if (isProgress(symbol.name, bare)) return { kind: 'progress' }
  const isPattern = declaration !== undefined && compiler.isObjectBindingPattern(declaration.name)
  const isRest = declaration?.dotDotDotToken !== undefined
  if (isPattern && isPlainObject(compiler, bare)) {
    const spread = spreadObject(place, types, bare, declaration, args)
    if (spread) return spread
  }
  const name = isPattern ? freshName('options', args) : symbol.name
  const said = docs.parameters[symbol.name] ?? { about: '', constraints: {} }
  const own = docsOf(compiler, checker, symbol)
  const description = said.about || own.about
  const shape = constrained(types.read(type), {
    ...types.aliasConstraints(declaration?.type),
    ...(description === '' ? {} : { description }),
    ...own.constraints,
    ...said.constraints,
    ...defaultOf(compiler, declaration?.initializer),
  })
  args.push({ name, shape, isRequired: !isOptionalParameter(place, types, symbol) })
  const filled = isRest ? {} : filledProperties(place, bare, declaration ?? place.node)
  return { kind: isRest ? 'rest' : 'value', name, conversion: shape.conversion, ...narrower(types), ...filled }
}

function isOptionalParameter({ checker, node }: Place, types: TypeReader, symbol: ts.Symbol): boolean {
  const declaration = symbol.valueDeclaration as ts.ParameterDeclaration | undefined
  if (types.mayBeUndefined(checker.getTypeOfSymbolAtLocation(symbol, declaration ?? node))) return true
  if (declaration === undefined) return false
  const isRest = declaration.dotDotDotToken !== undefined
  return isRest || declaration.initializer !== undefined || checker.isOptionalParameter(declaration)
}

/** Properties of an options object that the call itself fills in: its signal, and how progress is reported. */
function filledProperties(
  { compiler, checker }: Place,
  type: ts.Type,
  node: ts.Node,
): { signal?: string; progress?: string } {
  if (!isPlainObject(compiler, type) || checker.isArrayLikeType(type)) return {}
  const filled: { signal?: string; progress?: string } = {}
  for (const symbol of checker.getPropertiesOfType(type)) {
    const bare = checker.getNonNullableType(checker.getTypeOfSymbolAtLocation(symbol, node))
    if (isAbortSignal(bare)) filled.signal ??= symbol.name
    else if (isProgress(symbol.name, bare)) filled.progress ??= symbol.name
  }
  return filled
}

/** The properties of a destructured object are arguments themselves, unless a name is taken already. */
function spreadObject(
  place: Place,
  types: TypeReader,
  type: ts.Type,
  declaration: ts.ParameterDeclaration,
  args: Argument[],
): Parameter | undefined {
  const { compiler, checker, docs } = place
  const symbols = checker.getPropertiesOfType(type)
  if (symbols.some(({ name }) => args.some((arg) => arg.name === name))) return undefined
  const defaults = bindingDefaults(compiler, declaration.name as ts.ObjectBindingPattern)
  const special: { signal?: string; progress?: string } = {}
  const properties: { name: string; conversion: Shape['conversion']; isNarrower?: true }[] = []
  for (const symbol of symbols) {
    const { name } = symbol
    const bare = checker.getNonNullableType(checker.getTypeOfSymbolAtLocation(symbol, declaration))
    if (isAbortSignal(bare)) special.signal = name
    else if (isProgress(name, bare)) special.progress = name
    else {
      const found = propertyOf(types, symbol, defaults.has(name))
      if (!found) continue
      const said = Object.entries(docs.parameters).find(
        ([path]) => path.includes('.') && path.split('.').at(-1) === name,
      )?.[1]
      const initializer = defaults.get(name)
      const shape = constrained(found.shape, {
        ...(said?.about ? { description: said.about } : {}),
        ...said?.constraints,
        ...defaultOf(compiler, initializer),
      })
      args.push({ name, shape, isRequired: !found.isOptional && initializer === undefined })
      properties.push({ name, conversion: types.pruned(shape).conversion, ...narrower(types) })
    }
  }
  return { kind: 'object', properties, ...special }
}

function bindingDefaults(compiler: Compiler, pattern: ts.ObjectBindingPattern): Map<string, ts.Expression> {
  return new Map(
    pattern.elements.flatMap((element): [string, ts.Expression][] => {
      const name = element.propertyName ?? element.name
      return element.initializer && compiler.isIdentifier(name) ? [[name.text, element.initializer]] : []
    }),
  )
}

/** What a function gives, its promise waited for. Throws `Unfit` where it cannot be JSON. */
export function readResult(place: Place, signature: ts.Signature): Result {
  const { checker, docs } = place
  const types = new TypeReader(place.compiler, checker, 'out', place.node)
  const returned = signature.getReturnType()
  const type = checker.getAwaitedType(returned) ?? returned
  const isLater = type !== returned
  const about = docs.returns === '' ? {} : { about: docs.returns }
  if (types.isKind(type, 'Any') || types.isKind(type, 'Unknown')) {
    return { form: 'any', conversion: null, definitions: {}, isLater, isStream: false, ...about }
  }
  if (types.isKind(type, 'Void') || types.isKind(type, 'Undefined') || types.isKind(type, 'Never')) {
    return { form: 'nothing', conversion: null, definitions: {}, isLater, isStream: false, ...about }
  }
  const shape = constrained(types.read(type), docs.returns === '' ? {} : { description: docs.returns })
  const { schemas } = types.definitions
  const mayBeMissing = types.mayBeUndefined(type)
  const isObject = !mayBeMissing && isObjectSchema(shape.schema, schemas ?? {})
  const schema: JsonSchema = isObject
    ? { type: 'object', ...shape.schema }
    : { type: 'object', properties: { value: shape.schema }, ...(mayBeMissing ? {} : { required: ['value'] }) }
  return {
    form: isObject ? 'object' : 'value',
    schema: schemas ? { ...schema, $defs: schemas } : schema,
    conversion: shape.conversion,
    definitions: types.definitions,
    isLater,
    isStream: isStream(type),
    ...about,
  }
}

/** True if whatever fits the schema is an object, so that it can be structured content as it is. */
function isObjectSchema(schema: JsonSchema, definitions: Readonly<Record<string, JsonSchema>>): boolean {
  if (schema.type === 'object') return true
  const named = /^#\/\$defs\/(.+)$/.exec(String(schema.$ref ?? ''))?.[1]
  if (named !== undefined) return isObjectSchema(definitions[named] ?? {}, {})
  return (
    Array.isArray(schema.anyOf) && schema.anyOf.every((branch) => isObjectSchema(branch as JsonSchema, definitions))
  )
}

/** A default that is written out goes into the schema; one that is computed only makes the argument optional. */
function defaultOf(compiler: Compiler, initializer: ts.Expression | undefined): JsonObject {
  const value = initializer ? literalValue(compiler, initializer) : undefined
  return value === undefined ? {} : { default: value }
}

/** The value of an expression that is nothing but literals; undefined if it is more than that. */
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

const narrower = (types: TypeReader): { isNarrower?: true } => (types.takeNarrower() ? { isNarrower: true } : {})

/** A property whose default the code has itself may be left out, as one that is optional. */
function propertyOf(types: TypeReader, symbol: ts.Symbol, hasDefault: boolean): ReturnType<TypeReader['property']> {
  try {
    return types.property(symbol)
  } catch (error) {
    if (!(error instanceof Unfit) || !hasDefault) throw error
    types.omit(error)
    return undefined
  }
}

const isProgress = (name: string, type: ts.Type) => name === 'onProgress' && type.getCallSignatures().length > 0
const isAbortSignal = (type: ts.Type) => type.symbol?.name === 'AbortSignal'

function isPlainObject(compiler: Compiler, type: ts.Type): boolean {
  return !type.isUnion() && (type.flags & (compiler.TypeFlags.Object | compiler.TypeFlags.Intersection)) !== 0
}

const shownName = (compiler: Compiler, symbol: ts.Symbol): string => {
  const declaration = symbol.valueDeclaration as ts.ParameterDeclaration | undefined
  return declaration && !compiler.isIdentifier(declaration.name) ? declaration.name.getText() : symbol.name
}

function freshName(base: string, args: readonly Argument[]): string {
  for (let number = 1; ; number++) {
    const name = number === 1 ? base : `${base}${number}`
    if (!args.some((arg) => arg.name === name)) return name
  }
}
