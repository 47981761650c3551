import type ts from 'typescript'
import { snakeCase } from '../naming/effect-words.js'
import type { Compiler } from './docs.js'
import { moduleErrors } from './errors.js'
import { isPlatformFile } from './known-types.js'
import { titleOf } from './package-entry.js'
import { shown } from './place.js'
import type { Program } from './program.js'

/** A function before its signature is read. */
export interface Candidate {
  path: readonly string[]
  label: readonly string[]
  name: string
  instanceOf?: string
  symbol: ts.Symbol
  node: ts.Node
  type: ts.Type
  /** A method whose declaration is inherited. */
  isOfClass?: true
}

/** The same function under another name. */
export interface Alias {
  readonly candidate: Candidate
  readonly of: Candidate
}

/** Lists each function once, under its shortest path; names that conflict are made unique. */
export function onceEach(
  compiler: Compiler,
  checker: ts.TypeChecker,
  candidates: readonly Candidate[],
): { found: Candidate[]; aliases: Alias[] } {
  const kept = new Map<unknown, Candidate>()
  const aliases: { candidate: Candidate; key: unknown }[] = []
  const isShorter = (a: Candidate, b: Candidate) =>
    a.path.length < b.path.length || (a.path.length === b.path.length && a.path[0] === 'default')
  for (const candidate of candidates) {
    const key = identityOf(compiler, checker, candidate)
    const known = kept.get(key)
    if (!known || (known.name === candidate.name && isShorter(candidate, known))) kept.set(key, candidate)
    else if (known.name !== candidate.name) aliases.push({ candidate, key })
  }
  return {
    found: [...kept.values()],
    aliases: aliases.map(({ candidate, key }) => ({ candidate, of: kept.get(key) as Candidate })),
  }
}

/** The declared function itself; a member of an object may share its type with others. */
function identityOf(compiler: Compiler, checker: ts.TypeChecker, candidate: Candidate): unknown {
  const { symbol, path } = candidate
  const { valueDeclaration } = symbol
  if (candidate.isOfClass || !valueDeclaration) return candidate
  if (compiler.isShorthandPropertyAssignment(valueDeclaration)) {
    const value = checker.getShorthandAssignmentValueSymbol(valueDeclaration)
    const real = value && value.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(value) : value
    return real ?? candidate
  }
  const isDeclared =
    compiler.isFunctionDeclaration(valueDeclaration) || compiler.isVariableDeclaration(valueDeclaration)
  return isDeclared || path.length === 1 ? symbol : candidate
}

/** In the order of the file, followed by re-exports. */
export function inOrder(candidates: readonly Candidate[], source: ts.SourceFile): Candidate[] {
  const place = ({ node }: Candidate) =>
    node.getSourceFile() === source ? node.getStart() : Number.POSITIVE_INFINITY
  return [...candidates].sort((a, b) => (place(a) === place(b) ? 0 : place(a) - place(b)))
}

export function candidatesIn(
  compiler: Compiler,
  checker: ts.TypeChecker,
  source: ts.SourceFile,
  file: string,
): Candidate[] {
  const module = checker.getSymbolAtLocation(source)
  const exported = module ? checker.getExportsOfModule(module) : []
  const whole = module?.exports?.get('export=' as ts.__String)
  if (exported.length === 0 && !whole) throw moduleErrors.sourceWithoutExports(shown(file))
  const found = exported.flatMap((symbol) => candidatesOf(compiler, checker, symbol, source, file))
  if (!whole) return found
  const target = whole.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(whole) : whole
  return [...candidatesOf(compiler, checker, target, source, file, 'default'), ...found]
}

function candidatesOf(
  compiler: Compiler,
  checker: ts.TypeChecker,
  exported: ts.Symbol,
  source: ts.SourceFile,
  file: string,
  exportedAs = exported.name,
): Candidate[] {
  const { SymbolFlags } = compiler
  const symbol = exported.flags & SymbolFlags.Alias ? checker.getAliasedSymbol(exported) : exported
  const node = symbol.valueDeclaration ?? symbol.declarations?.[0] ?? source
  if (!(symbol.flags & SymbolFlags.Value)) return []
  const type = checker.getTypeOfSymbolAtLocation(symbol, node)
  const ownName = nameOf(symbol, exportedAs, file, type)
  if (symbol.flags & SymbolFlags.Class) return methodsOf(compiler, checker, symbol, exportedAs, ownName)
  const self: Candidate[] =
    type.getCallSignatures().length > 0
      ? [{ path: [exportedAs], label: [ownName], name: ownName, symbol, node, type }]
      : []
  const isNamespace = (symbol.flags & SymbolFlags.Namespace) !== 0
  if (self.length > 0 && !isNamespace) return self
  const whole = { path: [exportedAs], label: exportedAs === 'default' ? [] : [exportedAs], node }
  return [...self, ...membersOf(compiler, checker, type, whole, file)]
}

/** The export at a path of a module, such as `['hives', 'weigh']`; undefined if it cannot be determined. */
export function symbolAt(
  { compiler, program, entry }: Program,
  path: readonly string[],
): { symbol: ts.Symbol; type: ts.Type } | undefined {
  const source = program.getSourceFile(entry)
  const checker = program.getTypeChecker()
  const module = source ? checker.getSymbolAtLocation(source) : undefined
  if (!source || !module) return undefined
  const typeOf = (symbol: ts.Symbol) => checker.getTypeOfSymbolAtLocation(symbol, symbol.valueDeclaration ?? source)
  const real = (symbol: ts.Symbol) =>
    symbol.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(symbol) : symbol
  const [first = '', ...others] = path
  const whole = module.exports?.get('export=' as ts.__String)
  const exported =
    checker.getExportsOfModule(module).find(({ name }) => name === first) ??
    (first === 'default' ? whole : undefined)
  let symbol = exported ? real(exported) : undefined
  for (const name of others) symbol = symbol ? checker.getPropertyOfType(typeOf(symbol), name) : undefined
  return symbol ? { symbol: real(symbol), type: typeOf(symbol) } : undefined
}

/** Maximum depth of functions in exported objects: `api.hives.weigh`. */
const maxDepth = 3

/** Functions of an exported object, and of objects in it. Functions that are declared by another package, such as the methods of a schema, are skipped. */
function membersOf(
  compiler: Compiler,
  checker: ts.TypeChecker,
  type: ts.Type,
  { path, label, node }: Pick<Candidate, 'path' | 'label' | 'node'>,
  file: string,
): Candidate[] {
  const { Object: data, Intersection } = compiler.TypeFlags
  const isData = (type.flags & (data | Intersection)) !== 0 && !checker.isArrayLikeType(type)
  if (!isData || path.length > maxDepth) return []
  return checker.getPropertiesOfType(type).flatMap((member): Candidate[] => {
    const inner = member.valueDeclaration ?? node
    if (isForeign(inner.getSourceFile().fileName, file) || member.name.startsWith('__@')) return []
    const memberType = checker.getTypeOfSymbolAtLocation(member, inner)
    const at = { path: [...path, member.name], label: [...label, member.name], node: inner }
    if (memberType.getCallSignatures().length > 0)
      return [{ ...at, name: member.name, symbol: member, type: memberType }]
    const isPlain = memberType.getConstructSignatures().length === 0 && isWrittenHere(memberType, file)
    return isPlain ? membersOf(compiler, checker, memberType, at, file) : []
  })
}

/** True for declarations of the platform, and of packages if the module is not a package itself. */
function isForeign(declaredIn: string, file: string): boolean {
  if (isPlatformFile(declaredIn)) return true
  return isInPackage(declaredIn) && !isInPackage(file)
}

/** True for object literals and namespaces, whose functions become tools; false for instances and interfaces. */
function isWrittenHere(type: ts.Type, file: string): boolean {
  if (type.isIntersection()) return type.types.every((part) => isWrittenHere(part, file))
  const declarations = type.symbol?.declarations ?? []
  return (
    /^__(object|type)$/.test(type.symbol?.name ?? '') &&
    declarations.every((one) => !isForeign(one.getSourceFile().fileName, file))
  )
}

const isInPackage = (file: string) => /[\\/]node_modules[\\/]/.test(file)

export function makeableClasses(compiler: Compiler, checker: ts.TypeChecker, source: ts.SourceFile): string[] {
  const module = checker.getSymbolAtLocation(source)
  return (module ? checker.getExportsOfModule(module) : []).flatMap((exported) => {
    const symbol = exported.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(exported) : exported
    if (!(symbol.flags & compiler.SymbolFlags.Class) || !symbol.valueDeclaration) return []
    if (compiler.getCombinedModifierFlags(symbol.valueDeclaration) & compiler.ModifierFlags.Abstract) return []
    const type = checker.getTypeOfSymbolAtLocation(symbol, symbol.valueDeclaration)
    const needsNothing = type.getConstructSignatures().some((signature) =>
      signature.getParameters().every((parameter) => {
        const declaration = parameter.valueDeclaration as ts.ParameterDeclaration | undefined
        return declaration !== undefined && checker.isOptionalParameter(declaration)
      }),
    )
    return needsNothing ? [nameOf(symbol, exported.name, source.fileName, type)] : []
  })
}

/** Public methods, called on an instance that the author passes; static methods, called on the class. */
function methodsOf(
  compiler: Compiler,
  checker: ts.TypeChecker,
  symbol: ts.Symbol,
  exportedAs: string,
  className: string,
): Candidate[] {
  const { ModifierFlags, SymbolFlags } = compiler
  const isPublic = (member: ts.Symbol) => {
    const declaration = member.valueDeclaration
    if (
      !(member.flags & (SymbolFlags.Method | SymbolFlags.Property)) ||
      !declaration ||
      isPlatformFile(declaration.getSourceFile().fileName) ||
      member.name.startsWith('#')
    )
      return false
    return (
      (compiler.getCombinedModifierFlags(declaration) & (ModifierFlags.Private | ModifierFlags.Protected)) === 0
    )
  }
  const instance = checker.getDeclaredTypeOfSymbol(symbol)
  const node = symbol.valueDeclaration as ts.Node
  const of = (members: readonly ts.Symbol[], instanceOf: string | undefined): Candidate[] =>
    members.filter(isPublic).flatMap((member) => {
      const declaration = member.valueDeclaration as ts.Node
      const type = checker.getTypeOfSymbolAtLocation(member, declaration)
      if (type.getCallSignatures().length === 0) return []
      const common = {
        ...{ label: [className, member.name], name: member.name, symbol: member, node: declaration, type },
        isOfClass: true as const,
      }
      return [{ path: [exportedAs, member.name], ...(instanceOf === undefined ? {} : { instanceOf }), ...common }]
    })
  const statics = checker
    .getPropertiesOfType(checker.getTypeOfSymbolAtLocation(symbol, node))
    .filter(({ name }) => name !== 'prototype')
  return [...of(checker.getPropertiesOfType(instance), className), ...of(statics, undefined)]
}

/** The default export is named after its function or class, or after the file. */
function nameOf(symbol: ts.Symbol, exportedAs: string, file: string, type: ts.Type): string {
  if (exportedAs !== 'default') return exportedAs
  const [signature] = type.getCallSignatures()
  const names = [symbol.valueDeclaration, signature?.declaration].map((declaration) =>
    declaration && 'name' in declaration ? (declaration.name as ts.Node | undefined)?.getText() : undefined,
  )
  const own = names.find((name) => name !== undefined && /^[A-Za-z_$][\w$]*$/.test(name))
  return (
    own ??
    snakeCase(
      titleOf(file)
        .replace(/\.[cm]?[jt]sx?$/, '')
        .replace(/^@[^/]*\//, ''),
    )
  )
}
