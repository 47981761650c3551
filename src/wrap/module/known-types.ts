import type ts from 'typescript'
import type { Compiler } from './docs.js'
import type { Shape } from './shapes.js'

/** A type that JSON cannot represent: the reason and the fix. `path` leads to it through properties. */
export class Unfit extends Error {
  readonly fix: string
  readonly path: readonly string[]

  constructor(reason: string, fix: string, path: readonly string[] = []) {
    super(reason)
    this.fix = fix
    this.path = path
  }

  within(name: string): Unfit {
    return new Unfit(this.message, this.fix, [name, ...this.path])
  }
}

type Read = (type: ts.Type) => Shape

const scalars: Readonly<Record<string, Shape>> = {
  Date: { schema: { type: 'string', format: 'date-time' }, conversion: { as: 'date' } },
  URL: { schema: { type: 'string', format: 'uri' }, conversion: { as: 'url' } },
  Buffer: { schema: { type: 'string', contentEncoding: 'base64' }, conversion: { as: 'buffer' } },
  Uint8Array: { schema: { type: 'string', contentEncoding: 'base64' }, conversion: { as: 'bytes' } },
  String: { schema: { type: 'string' }, conversion: null },
  Number: { schema: { type: 'number' }, conversion: null },
  Boolean: { schema: { type: 'boolean' }, conversion: null },
}
const streams = new Set(['AsyncIterable', 'AsyncIterableIterator', 'AsyncGenerator', 'AsyncIteratorObject'])
const iterables = new Set(['Iterable', 'IterableIterator', 'Generator', 'IteratorObject', 'ArrayIterator'])

export const isStream = (type: ts.Type): boolean => streams.has(type.symbol?.name ?? '')

/** Types of the language and the platform that have a JSON form, and those that have none. */
export function knownType(
  compiler: Compiler,
  checker: ts.TypeChecker,
  type: ts.Type,
  direction: 'in' | 'out',
  read: Read,
): Shape | undefined {
  const name = type.symbol?.name ?? ''
  if (!isPlatform(compiler, type)) return undefined
  if (Object.hasOwn(scalars, name)) return scalars[name]
  const [first, second] = checker.getTypeArguments(type as ts.TypeReference)
  const argument = (given: ts.Type | undefined) => read(given ?? checker.getUnknownType())
  if (name === 'Set' || name === 'ReadonlySet') {
    const items = argument(first)
    return {
      schema: { type: 'array', items: items.schema, uniqueItems: true },
      conversion: { as: 'set', items: items.conversion },
    }
  }
  if (name === 'Map' || name === 'ReadonlyMap') return mapShape(argument(first), argument(second))
  if (name === 'Promise' || name === 'PromiseLike') return argument(first)
  if (streams.has(name) || iterables.has(name)) {
    if (direction === 'in' && streams.has(name))
      throw new Unfit(`a ${name} cannot be JSON`, 'take an array instead')
    const items = argument(first)
    return {
      schema: { type: 'array', items: items.schema },
      conversion: direction === 'in' ? null : { as: 'iterable', items: items.conversion },
    }
  }
  if (name === 'Object') return { schema: {}, conversion: null }
  // An interface without a class, such as options of `Intl`, is plain data.
  if (!(type.symbol.flags & compiler.SymbolFlags.Value)) return undefined
  throw new Unfit(`${article(name)} ${name} cannot be JSON`, fixes[name] ?? 'use plain data instead')
}

const fixes: Readonly<Record<string, string>> = {
  RegExp: 'use its source as a string instead',
  Error: 'throw it, or return its message',
  AbortSignal: 'make it the last parameter',
  Function: 'use data instead',
}
const article = (name: string) => (/^([AEIOU]|HTML|SVG)/.test(name) ? 'an' : 'a')

/** A map with text keys becomes an object; any other becomes a list of pairs. */
function mapShape(key: Shape, value: Shape): Shape {
  const isObject = key.conversion === null && key.schema.type === 'string'
  const { enum: names, pattern } = key.schema
  const keys = names ? { propertyNames: { enum: names } } : pattern ? { propertyNames: { pattern } } : {}
  return {
    schema: isObject
      ? { type: 'object', additionalProperties: value.schema, ...keys }
      : {
          type: 'array',
          items: {
            type: 'array',
            prefixItems: [key.schema, value.schema],
            items: false,
            minItems: 2,
            maxItems: 2,
          },
        },
    conversion: { as: 'map', key: key.conversion, value: value.conversion, isObject },
  }
}

/** True for the declarations of the language and of Node. */
export const isPlatformFile = (file: string): boolean =>
  /[\\/]typescript[\\/]lib[\\/]lib\.[\w.]+\.d\.ts$|[\\/]@types[\\/]node[\\/]/.test(file)

/**
 * True if declared as an interface or class by the language's libraries or by Node; utility types such as `Pick` do not
 * count.
 */
function isPlatform(compiler: Compiler, type: ts.Type): boolean {
  const { symbol } = type
  if (!symbol || symbol.name.startsWith('__')) return false
  return (symbol.declarations ?? []).some((declaration) => {
    if (!compiler.isInterfaceDeclaration(declaration) && !compiler.isClassDeclaration(declaration)) return false
    return isPlatformFile(declaration.getSourceFile().fileName)
  })
}
