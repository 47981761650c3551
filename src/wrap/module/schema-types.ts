import type ts from 'typescript'
import type { JsonSchema } from '../../kit/schema.js'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Compiler } from './docs.js'
import { literalValue } from './literals.js'

/** Keywords of a zod schema that its inferred type lacks, including those of properties and items. */
export interface SchemaKeywords {
  readonly own: JsonObject
  readonly properties?: Readonly<Record<string, SchemaKeywords>>
  readonly items?: SchemaKeywords
}

type Kind = 'string' | 'number' | 'array' | 'object' | 'other'
/** Maximum depth of schemas that refer to each other. */
const maxDepth = 8

/** The schema from which `z.infer<typeof hive>` or an alias of it was inferred; undefined for other types. */
export function keywordsOfType(
  compiler: Compiler,
  checker: ts.TypeChecker,
  node: ts.TypeNode | undefined,
  depth = 0,
): SchemaKeywords | undefined {
  if (!node || depth > maxDepth) return undefined
  if (compiler.isArrayTypeNode(node)) {
    const items = keywordsOfType(compiler, checker, node.elementType, depth + 1)
    return items && { own: {}, items }
  }
  if (!compiler.isTypeReferenceNode(node)) return undefined
  const [argument] = node.typeArguments ?? []
  if (
    argument &&
    compiler.isTypeQueryNode(argument) &&
    /(^|\.)(infer|output|input|TypeOf)$/.test(node.typeName.getText())
  ) {
    const value = initializerOf(compiler, checker, checker.getSymbolAtLocation(argument.exprName))
    return value && keywordsOf(compiler, checker, value, depth + 1)
  }
  const symbol = aliased(compiler, checker, checker.getSymbolAtLocation(node.typeName))
  const alias = symbol?.declarations?.find(compiler.isTypeAliasDeclaration)
  return alias && keywordsOfType(compiler, checker, alias.type, depth + 1)
}

function keywordsOf(
  compiler: Compiler,
  checker: ts.TypeChecker,
  expression: ts.Expression,
  depth: number,
): SchemaKeywords | undefined {
  if (depth > maxDepth) return undefined
  if (compiler.isIdentifier(expression)) {
    const value = initializerOf(compiler, checker, checker.getSymbolAtLocation(expression))
    return value && keywordsOf(compiler, checker, value, depth + 1)
  }
  if (!compiler.isCallExpression(expression) || !compiler.isPropertyAccessExpression(expression.expression))
    return undefined
  const { expression: owner, name } = expression.expression
  const [argument] = expression.arguments
  const inner = (node: ts.Expression | undefined) =>
    node ? keywordsOf(compiler, checker, node, depth + 1) : undefined
  const isStart =
    compiler.isIdentifier(owner) && !initializerOf(compiler, checker, checker.getSymbolAtLocation(owner))
  if (!isStart) {
    const before = inner(owner)
    const added = methodKeywords(name.text, kindOf(before), argument ? literalOf(compiler, argument) : undefined)
    return before && added && { ...before, own: { ...before.own, ...added } }
  }
  if (
    /^(object|strictObject|looseObject)$/.test(name.text) &&
    argument &&
    compiler.isObjectLiteralExpression(argument)
  ) {
    const properties = argument.properties.flatMap((property): [string, SchemaKeywords][] => {
      if (!compiler.isPropertyAssignment(property)) return []
      const found = inner(property.initializer)
      return found ? [[property.name.getText().replace(/^['"]|['"]$/g, ''), found]] : []
    })
    return { own: {}, properties: Object.fromEntries(properties) }
  }
  if (name.text === 'array') return { own: {}, items: inner(argument) ?? { own: {} } }
  const started = starts[name.text]
  return started && { own: started }
}

const starts: Readonly<Record<string, JsonObject>> = {
  ...{ string: { type: 'string' }, number: { type: 'number' }, int: { type: 'integer' } },
  ...{ email: { type: 'string', format: 'email' }, url: { type: 'string', format: 'uri' } },
  ...{ uuid: { type: 'string', format: 'uuid' }, enum: {}, boolean: {}, literal: {}, record: {}, union: {} },
}

function kindOf(keywords: SchemaKeywords | undefined): Kind {
  if (keywords?.properties) return 'object'
  if (keywords?.items) return 'array'
  const { type } = keywords?.own ?? {}
  return type === 'string' ? 'string' : type === 'number' || type === 'integer' ? 'number' : 'other'
}

/** Keywords that a method of a schema adds; undefined if the method changes the type. */
function methodKeywords(method: string, kind: Kind, value: unknown): JsonObject | undefined {
  if (method === 'describe') return typeof value === 'string' ? { description: value } : {}
  if (method === 'meta')
    return isObject(value) && typeof value.description === 'string' ? { description: value.description } : {}
  if (/^(transform|pipe|preprocess|catch|codec)$/.test(method)) return undefined
  const size = {
    string: ['minLength', 'maxLength'],
    number: ['minimum', 'maximum'],
    array: ['minItems', 'maxItems'],
  }
  const [least = '', most = ''] = kind === 'string' || kind === 'number' || kind === 'array' ? size[kind] : []
  if (least === '') return {}
  if (typeof value === 'number') {
    if (method === 'min' || method === 'gte') return { [least]: value }
    if (method === 'max' || method === 'lte') return { [most]: value }
    if (method === 'length') return { [least]: value, [most]: value }
    if (method === 'gt') return { exclusiveMinimum: value }
    if (method === 'lt') return { exclusiveMaximum: value }
    if (method === 'multipleOf' || method === 'step') return { multipleOf: value }
  }
  if (method === 'regex' && value instanceof RegExp) return value.flags === '' ? { pattern: value.source } : {}
  return fixedKeywords[`${kind}.${method}`] ?? {}
}

const fixedKeywords: Readonly<Record<string, JsonObject>> = {
  ...{ 'string.email': { format: 'email' }, 'string.url': { format: 'uri' }, 'string.uuid': { format: 'uuid' } },
  ...{
    'string.datetime': { format: 'date-time' },
    'string.date': { format: 'date' },
    'string.nonempty': { minLength: 1 },
  },
  ...{
    'array.nonempty': { minItems: 1 },
    'number.int': { type: 'integer' },
    'number.positive': { exclusiveMinimum: 0 },
  },
  ...{
    'number.nonnegative': { minimum: 0 },
    'number.negative': { exclusiveMaximum: 0 },
    'number.nonpositive': { maximum: 0 },
  },
}

/** Adds the keywords of a tree to the matching places of a schema. */
export function withKeywords(schema: JsonSchema, keywords: SchemaKeywords | undefined): JsonSchema {
  if (!keywords) return schema
  if (Array.isArray(schema.anyOf)) {
    const values = schema.anyOf.filter((branch) => (branch as JsonSchema).type !== 'null')
    if (values.length !== 1) return schema
    return {
      ...schema,
      anyOf: schema.anyOf.map((branch) =>
        (branch as JsonSchema).type === 'null' ? branch : withKeywords(branch as JsonSchema, keywords),
      ),
    }
  }
  const { type, ...own } = keywords.own
  const { properties, items } = schema as { properties?: Record<string, JsonSchema>; items?: JsonSchema }
  return {
    ...schema,
    ...(type === 'integer' && schema.type === 'number' ? { type } : {}),
    ...own,
    ...(properties && keywords.properties
      ? {
          properties: Object.fromEntries(
            Object.entries(properties).map(([name, inner]) => [
              name,
              withKeywords(inner, keywords.properties?.[name]),
            ]),
          ),
        }
      : {}),
    ...(isObject(items) && keywords.items ? { items: withKeywords(items, keywords.items) } : {}),
  }
}

function literalOf(compiler: Compiler, node: ts.Expression): unknown {
  if (!compiler.isRegularExpressionLiteral(node)) return literalValue(compiler, node)
  const [, source = '', flags = ''] = /^\/([\s\S]*)\/(\w*)$/.exec(node.text) ?? []
  try {
    return new RegExp(source, flags)
  } catch {
    return undefined
  }
}

function initializerOf(
  compiler: Compiler,
  checker: ts.TypeChecker,
  symbol: ts.Symbol | undefined,
): ts.Expression | undefined {
  const declaration = aliased(compiler, checker, symbol)?.valueDeclaration
  return declaration && compiler.isVariableDeclaration(declaration) ? declaration.initializer : undefined
}

const aliased = (
  compiler: Compiler,
  checker: ts.TypeChecker,
  symbol: ts.Symbol | undefined,
): ts.Symbol | undefined =>
  symbol && symbol.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(symbol) : symbol
