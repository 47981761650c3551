import type ts from 'typescript'
import { loadCompiler } from './compiler.js'
import { type Compiler, type Docs, docsOf } from './docs.js'
import { BodyReader } from './effect-of-body.js'
import { moduleErrors } from './errors.js'
import { exampleOf } from './examples.js'
import { type Candidate, candidatesIn, inOrder, makeableClasses, onceEach, symbolAt } from './exports.js'
import { readSignatures } from './overloads.js'
import { titleOf } from './package-entry.js'
import { placeOf, shown } from './place.js'
import { openImplementation, openProgram, type Program } from './program.js'
import type { FunctionReading, ModuleReading, Skipped } from './reading.js'

/**
 * Reads the exports of a module with the TypeScript compiler. Throws a `JexoError` if an import is missing, or there
 * are no exports.
 */
export async function readModule(file: string): Promise<{ reading: ModuleReading; files: string[] }> {
  const compiler = loadCompiler()
  const opened = openProgram(compiler, file)
  const source = opened.program.getSourceFile(opened.entry)
  if (!source) throw moduleErrors.sourceMissing(file)
  const warnings = checkSources(opened, file)
  const checker = opened.program.getTypeChecker()
  const { found, aliases } = onceEach(compiler, checker, candidatesIn(compiler, checker, source, file))
  const functions: FunctionReading[] = []
  const skipped: Skipped[] = aliases.map(({ candidate, of }) => ({
    ...{
      name: candidate.label.join('.'),
      where: placeOf(candidate.node.getSourceFile(), candidate.node.getStart(), file),
    },
    ...{ reason: `it is the same function as ${of.label.join('.')}`, fix: `call ${of.label.join('.')}` },
  }))
  const onlyReads = bodiesOf(opened, file)
  for (const candidate of inOrder(found, source)) {
    const read = readFunction(compiler, checker, candidate, file, onlyReads)
    if (read && 'reason' in read) skipped.push(read)
    else if (read) functions.push(read)
  }
  const files = opened.program
    .getSourceFiles()
    .map(({ fileName }) => fileName)
    .filter((name) => !/[\\/]typescript[\\/]lib[\\/]/.test(name))
  const withMethods = new Set(functions.map(({ instanceOf }) => instanceOf))
  const makeable = makeableClasses(compiler, checker, source).filter((name) => withMethods.has(name))
  return {
    reading: {
      file,
      title: titleOf(file),
      isUntyped: /\.[cm]?jsx?$/.test(opened.entry),
      functions,
      skipped,
      warnings,
      makeable,
    },
    files,
  }
}

/** Determines whether a function's body has side effects; for a package, from the code behind its declarations. */
function bodiesOf(opened: Program, file: string): (candidate: Candidate) => boolean {
  const implementation = openImplementation(opened, file)
  const { compiler, program } = implementation ?? opened
  const bodies = new BodyReader(compiler, program.getTypeChecker())
  return ({ path, symbol, type, instanceOf }) => {
    if (!implementation) return bodies.onlyReads(symbol, type)
    const found = instanceOf === undefined ? symbolAt(implementation, path) : undefined
    return found !== undefined && bodies.onlyReads(found.symbol, found.type)
  }
}

/** A missing import is an error; other type errors are reported, and the rest of the module is read. */
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

function readFunction(
  compiler: Compiler,
  checker: ts.TypeChecker,
  candidate: Candidate,
  file: string,
  onlyReads: (candidate: Candidate) => boolean,
): FunctionReading | Skipped | undefined {
  const { path, label, name, instanceOf, symbol, node, type } = candidate
  const signatures = type.getCallSignatures()
  const [signature] = signatures as [ts.Signature]
  const isSaid = symbol.getDocumentationComment(checker).length + symbol.getJsDocTags(checker).length > 0
  // An export under another name is described at its declaration.
  const docs = docsOf(compiler, checker, isSaid ? symbol : signature)
  if (docs.isInternal) return undefined
  const where = placeOf(node.getSourceFile(), node.getStart(), file)
  const read = readSignatures({ compiler, checker, docs, node, isMember: path.length > 1 }, signatures)
  if ('unfit' in read) {
    const { what, unfit } = read
    const at = [what, unfit.path.join('.')].filter((part) => part !== '').join(what === 'parameter' ? ' ' : '.')
    return { name: label.join('.'), where, reason: `${at}: ${unfit.message}`, fix: unfit.fix }
  }
  const abouts = signatures.map((one) => docsOf(compiler, checker, one).about)
  return {
    path,
    label,
    ...(instanceOf === undefined ? {} : { instanceOf }),
    name,
    where,
    about: aboutOf(signatures.length > 1 ? { ...docs, about: distinct(abouts).join('\n\n') || docs.about } : docs),
    ...(docs.title === undefined ? {} : { title: docs.title }),
    ...(docs.effect === undefined ? {} : { effect: docs.effect }),
    ...(docs.effect === undefined && onlyReads(candidate) ? { onlyReads: true } : {}),
    isDeprecated: docs.deprecated !== undefined,
    examples: docs.examples.flatMap((text) => exampleOf(compiler, text, read.parameters, read.result.form)),
    ...read,
  }
}

const distinct = (texts: readonly string[]) => [...new Set(texts)].filter((text) => text !== '')

function aboutOf(docs: Docs): string {
  const deprecated =
    docs.deprecated === undefined ? [] : [`Deprecated${docs.deprecated === '' ? '.' : `: ${docs.deprecated}`}`]
  const throws = docs.throws.map((text) => failsText(text.replace(/^\{[^}]*\}\s*/, '')))
  return docs.about === '' ? '' : [...deprecated, docs.about, ...throws].join('\n')
}

const failsText = (said: string) => {
  const text = said.replace(/^throws?\s+(?:an?\s+(?:\w*Error|error)\s+)?(?=when|if|where|unless)/i, '')
  return /^(when|if|where|unless)\b/i.test(text)
    ? `Fails ${text.charAt(0).toLowerCase()}${text.slice(1)}`
    : `Fails: ${text}`
}
