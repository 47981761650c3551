import { createRequire } from 'node:module'
import { basename, relative } from 'node:path'
import type ts from 'typescript'
import type { Example } from '../../kit/part.js'
import { type Compiler, type Docs, docsOf } from './docs.js'
import { moduleErrors } from './errors.js'
import { isPlatformFile, Unfit } from './known-types.js'
import { openProgram, type Program } from './program.js'
import type { FunctionReading, ModuleReading, Skipped } from './reading.js'
import { literalValue, readParameters, readResult } from './signature.js'

/** A function that was found, before its signature is read. */
interface Candidate {
  path: readonly string[]
  label: readonly string[]
  name: string
  instanceOf?: string
  symbol: ts.Symbol
  node: ts.Node
  type: ts.Type
}

/**
 * Reads what a module exports by the TypeScript compiler. Throws a `JexoError` if there is nothing to read: an import that is
 * not found, no exports at all.
 */
export async function readModule(file: string): Promise<{ reading: ModuleReading; files: string[] }> {
  // By require: an import would first look through nine megabytes for the names that it exports.
  const compiler = createRequire(import.meta.url)('typescript') as Compiler
  const opened = openProgram(compiler, file)
  const source = opened.program.getSourceFile(opened.entry)
  if (!source) throw moduleErrors.sourceMissing(file)
  const warnings = checkSources(opened, file)
  const checker = opened.program.getTypeChecker()
  const found = inOrder(candidatesIn(compiler, checker, source, file), source)
  const functions: FunctionReading[] = []
  const skipped: Skipped[] = []
  for (const candidate of found) {
    const read = readFunction(compiler, checker, candidate, file)
    if (read && 'reason' in read) skipped.push(read)
    else if (read) functions.push(read)
  }
  const files = opened.program
    .getSourceFiles()
    .map(({ fileName }) => fileName)
    .filter((name) => !/[\\/]typescript[\\/]lib[\\/]/.test(name))
  const withMethods = new Set(functions.map(({ instanceOf }) => instanceOf))
  const makeable = makeableClasses(compiler, checker, source).filter((name) => withMethods.has(name))
  return { reading: { file, functions, skipped, warnings, makeable }, files }
}

/** An import that is not found ends it; other errors of types are told, since what they do not touch can still be read. */
function checkSources({ compiler, program, entry }: Program, file: string): string[] {
  const own = program
    .getSourceFiles()
    .filter(({ fileName }) => fileName === entry || !/[\\/]node_modules[\\/]/.test(fileName))
  const faults = own
    .filter(({ isDeclarationFile }) => !isDeclarationFile)
    .flatMap((source) => [...program.getSyntacticDiagnostics(source), ...program.getSemanticDiagnostics(source)])
  const text = (fault: ts.Diagnostic) => {
    const at = fault.file && fault.start !== undefined ? `${placeOf(fault.file, fault.start, file)}: ` : ''
    return at + compiler.flattenDiagnosticMessageText(fault.messageText, ' ')
  }
  const unresolved = faults.find(({ code }) => code === 2307 || code === 2792)
  if (unresolved) throw moduleErrors.sourceUnreadable(shown(file), text(unresolved))
  const syntax = faults.find(({ code }) => code >= 1000 && code < 2000 && code !== 1259)
  if (syntax) throw moduleErrors.sourceUnreadable(shown(file), text(syntax))
  return faults.map(text)
}

/** As they stand in the file; what comes from elsewhere follows. */
function inOrder(candidates: readonly Candidate[], source: ts.SourceFile): Candidate[] {
  const place = ({ node }: Candidate) =>
    node.getSourceFile() === source ? node.getStart() : Number.POSITIVE_INFINITY
  return [...candidates].sort((a, b) => (place(a) === place(b) ? 0 : place(a) - place(b)))
}

function candidatesIn(
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
  const isData = (type.flags & compiler.TypeFlags.Object) !== 0 && !checker.isArrayLikeType(type)
  if (!isData || (self.length > 0 && !(symbol.flags & SymbolFlags.Namespace))) return self
  const members = checker.getPropertiesOfType(type).flatMap((member): Candidate[] => {
    const inner = member.valueDeclaration ?? node
    const memberType = checker.getTypeOfSymbolAtLocation(member, inner)
    // Methods of what the platform provides, such as a Map that is exported, are nobody's tools.
    if (memberType.getCallSignatures().length === 0 || isPlatformFile(inner.getSourceFile().fileName)) return []
    return [
      {
        path: [exportedAs, member.name],
        label: exportedAs === 'default' ? [member.name] : [exportedAs, member.name],
        name: member.name,
        symbol: member,
        node: inner,
        type: memberType,
      },
    ]
  })
  return [...self, ...members]
}

function makeableClasses(compiler: Compiler, checker: ts.TypeChecker, source: ts.SourceFile): string[] {
  const module = checker.getSymbolAtLocation(source)
  return (module ? checker.getExportsOfModule(module) : []).flatMap((exported) => {
    const symbol = exported.flags & compiler.SymbolFlags.Alias ? checker.getAliasedSymbol(exported) : exported
    if (!(symbol.flags & compiler.SymbolFlags.Class) || !symbol.valueDeclaration) return []
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

/** Public methods, called on an instance that the author gives; static ones on the class. */
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
      const common = { label: [className, member.name], name: member.name, symbol: member, node: declaration, type }
      return [{ path: [exportedAs, member.name], ...(instanceOf === undefined ? {} : { instanceOf }), ...common }]
    })
  const statics = checker
    .getPropertiesOfType(checker.getTypeOfSymbolAtLocation(symbol, node))
    .filter(({ name }) => name !== 'prototype')
  return [...of(checker.getPropertiesOfType(instance), className), ...of(statics, undefined)]
}

/** The default export goes by the name of its function or class, or by that of the file. */
function nameOf(symbol: ts.Symbol, exportedAs: string, file: string, type: ts.Type): string {
  if (exportedAs !== 'default') return exportedAs
  const [signature] = type.getCallSignatures()
  const names = [symbol.valueDeclaration, signature?.declaration].map((declaration) =>
    declaration && 'name' in declaration ? (declaration.name as ts.Node | undefined)?.getText() : undefined,
  )
  const own = names.find((name) => name !== undefined && /^[A-Za-z_$][\w$]*$/.test(name))
  return own ?? basename(file).replace(/\..*$/, '')
}

function readFunction(
  compiler: Compiler,
  checker: ts.TypeChecker,
  candidate: Candidate,
  file: string,
): FunctionReading | Skipped | undefined {
  const { path, label, name, instanceOf, symbol, node, type } = candidate
  const signature = type.getCallSignatures()[0] as ts.Signature
  const isSaid = symbol.getDocumentationComment(checker).length + symbol.getJsDocTags(checker).length > 0
  // What is exported by another name is described where it is declared.
  const docs = docsOf(compiler, checker, isSaid ? symbol : signature)
  if (docs.isInternal) return undefined
  const where = placeOf(node.getSourceFile(), node.getStart(), file)
  const place = { compiler, checker, docs, node }
  const fullName = label.join('.')
  const attempt = <T>(what: string, read: () => T): T | Skipped => {
    try {
      return read()
    } catch (error) {
      if (!(error instanceof Unfit)) throw error
      const at = [what, error.path.join('.')].filter((part) => part !== '').join(what === 'parameter' ? ' ' : '.')
      return { name: fullName, where, reason: `${at}: ${error.message}`, fix: error.fix }
    }
  }
  const given = attempt('parameter', () => readParameters(place, signature))
  if ('reason' in given) return given
  const result = attempt('its result', () => readResult(place, signature))
  if ('reason' in result) return result
  return {
    path,
    label,
    ...(instanceOf === undefined ? {} : { instanceOf }),
    name,
    where,
    about: aboutOf(docs),
    ...(docs.title === undefined ? {} : { title: docs.title }),
    ...(docs.effect === undefined ? {} : { effect: docs.effect }),
    isDeprecated: docs.deprecated !== undefined,
    examples: docs.examples.flatMap((text) => exampleOf(compiler, text, given.parameters, result.form)),
    ...given,
    result,
  }
}

function aboutOf(docs: Docs): string {
  const deprecated =
    docs.deprecated === undefined ? [] : [`Deprecated${docs.deprecated === '' ? '.' : `: ${docs.deprecated}`}`]
  const throws = docs.throws.map((text) => failsText(text.replace(/^\{[^}]*\}\s*/, '')))
  return docs.about === '' ? '' : [...deprecated, docs.about, ...throws].join('\n')
}

const failsText = (text: string) =>
  /^(when|if|where|unless)\b/i.test(text)
    ? `Fails ${text.charAt(0).toLowerCase()}${text.slice(1)}`
    : `Fails: ${text}`

/** `winterFeed(9, 8) // 3.3`, or the arguments as JSON; what is neither is for people only. */
function exampleOf(
  compiler: Compiler,
  text: string,
  parameters: FunctionReading['parameters'],
  form: FunctionReading['result']['form'],
): Example[] {
  const bare = text.replace(/^```\w*\n?|```$/g, '').trim()
  const [, code = bare, said] = /^([\s\S]+?)\s*(?:\/\/|→|=>)\s*(?:=>|→)?\s*(\S[^\n]*)?$/.exec(bare) ?? []
  const output = said === undefined ? undefined : literalIn(compiler, said)
  const shownOutput = output === undefined ? {} : { output: form === 'value' ? { value: output } : output }
  const expression = expressionOf(compiler, code.replace(/;$/, ''))
  if (!expression) return []
  const unwrapped = compiler.isAwaitExpression(expression) ? expression.expression : expression
  if (compiler.isObjectLiteralExpression(unwrapped)) {
    const input = literalValue(compiler, unwrapped)
    return input === undefined ? [] : [{ input: input as Example['input'], ...shownOutput }]
  }
  if (!compiler.isCallExpression(unwrapped)) return []
  const values = unwrapped.arguments.map((argument) => literalValue(compiler, argument))
  if (values.includes(undefined) || values.length > parameters.length) return []
  const entries = values.flatMap((value, at): [string, unknown][] => {
    const parameter = parameters[at]
    if (parameter?.kind === 'value') return [[parameter.name, value]]
    if (parameter?.kind === 'rest') return [[parameter.name, values.slice(at)]]
    return parameter?.kind === 'object' ? Object.entries(value as object) : []
  })
  return [{ input: Object.fromEntries(entries), ...shownOutput }]
}

const literalIn = (compiler: Compiler, text: string): unknown => {
  const expression = expressionOf(compiler, text)
  return expression ? literalValue(compiler, expression) : undefined
}

function expressionOf(compiler: Compiler, text: string): ts.Expression | undefined {
  const source = compiler.createSourceFile('example.ts', `(${text})`, compiler.ScriptTarget.ES2022, true)
  const [statement] = source.statements
  if (!statement || source.statements.length !== 1 || !compiler.isExpressionStatement(statement)) return undefined
  const { expression } = statement
  return compiler.isParenthesizedExpression(expression) ? expression.expression : undefined
}

const shown = (file: string): string => {
  const near = relative(process.cwd(), file)
  return near.startsWith('..') ? file : near
}

function placeOf(source: ts.SourceFile, position: number, file: string): string {
  const { line } = source.getLineAndCharacterOfPosition(position)
  return `${source.fileName === file ? shown(file) : shown(source.fileName)}:${line + 1}`
}
