import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import { type Compiler, type Docs, docsOf } from './docs.js'
import { isStream, Unfit } from './known-types.js'
import { defaultOf } from './literals.js'
import type { Parameter, Result } from './reading.js'
import { keywordsOfType, withKeywords } from './schema-types.js'
import { constrained, type Shape } from './shapes.js'
import type { Omitted, TypeReader } from './types.js'

/** An argument of the tool while the signature is read. */
export interface Argument {
  name: string
  shape: Shape
  isRequired: boolean
}
export interface Place {
  compiler: Compiler
  checker: ts.TypeChecker
  docs: Docs
  node: ts.Node
  /** True if it is called on its object. */
  isMember: boolean
}

/**
 * The parameters of a signature as arguments of a tool. Throws `Unfit` with the name of a parameter that JSON cannot
 * represent.
 */
export function readParameters(
  place: Place,
  signature: ts.Signature,
  types: TypeReader,
): { parameters: Parameter[]; args: Argument[]; omitted: string[] } {
  const args: Argument[] = []
  const omitted: string[] = []
  checkThis(place, signature)
  const parameters = signature.getParameters().map((symbol): Parameter => {
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
  return { parameters, args, omitted }
}

/** True if a function requires `this` and cannot be called alone; methods of exported objects can. */
function checkThis({ checker, isMember }: Place, signature: ts.Signature): void {
  const { thisParameter } = signature as { thisParameter?: ts.Symbol }
  const type = thisParameter && checker.getTypeOfSymbol(thisParameter)
  const isNeeded = type !== undefined && !/^(void|unknown|any)$/.test(checker.typeToString(type))
  if (isNeeded && !isMember)
    throw new Unfit('it needs a value for `this`, which tool calls do not have', 'take it as a parameter instead', [
      'this',
    ])
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
  const name = isPattern ? freshName('options', args) : nameIn(compiler, declaration, symbol, args)
  const said = docs.parameters[symbol.name] ?? { about: '', constraints: {} }
  const own = docsOf(compiler, checker, symbol)
  const description = said.about || own.about
  const read = constrained(types.read(type), {
    ...types.aliasConstraints(declaration?.type),
    ...(description === '' ? {} : { description }),
    ...own.constraints,
    ...said.constraints,
    ...defaultOf(compiler, declaration?.initializer),
  })
  const shape = { ...read, schema: withKeywords(read.schema, keywordsOfType(compiler, checker, declaration?.type)) }
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

/** The properties of a destructured object become separate arguments, unless a name is in use. */
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

/**
 * The awaited result type of a signature; its schema refers to the definitions of `types`. Throws `Unfit` if JSON
 * cannot represent it.
 */
export function readResult({ checker, docs }: Place, signature: ts.Signature, types: TypeReader): Result {
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
    schema,
    conversion: shape.conversion,
    definitions: {},
    isLater,
    isStream: isStream(type),
    ...about,
  }
}

/** True if every value that matches the schema is an object, and so can be structured content. */
function isObjectSchema(schema: JsonSchema, definitions: Readonly<Record<string, JsonSchema>>): boolean {
  if (schema.type === 'object') return true
  const named = /^#\/\$defs\/(.+)$/.exec(String(schema.$ref ?? ''))?.[1]
  if (named !== undefined) return isObjectSchema(definitions[named] ?? {}, {})
  return (
    Array.isArray(schema.anyOf) && schema.anyOf.every((branch) => isObjectSchema(branch as JsonSchema, definitions))
  )
}

const narrower = (types: TypeReader): { isNarrower?: true } => (types.takeNarrower() ? { isNarrower: true } : {})

/** A property with a default in the code is optional. */
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

/** `[from, to]` is named by its elements, since the compiler has no name for it. */
function nameIn(
  compiler: Compiler,
  declaration: ts.ParameterDeclaration | undefined,
  symbol: ts.Symbol,
  args: readonly Argument[],
): string {
  if (!declaration || !compiler.isArrayBindingPattern(declaration.name)) return symbol.name
  const names = declaration.name.elements.flatMap((element) =>
    compiler.isBindingElement(element) && compiler.isIdentifier(element.name) ? [element.name.text] : [],
  )
  return freshName(names.join('_') || 'values', args)
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
