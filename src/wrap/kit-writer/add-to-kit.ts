import type TypeScript from 'typescript'
import { kitWriterErrors } from './errors.js'
import { importText, type KitImport, type KitSection, Names } from './kit-section.js'

type Ts = typeof TypeScript
/** Text to insert at a position. */
interface Insertion {
  readonly at: number
  readonly text: string
}

/**
 * The text of a kit file with another source: missing imports, a statement, and its parts at the end of the list.
 * Everything else stays unchanged. Pure. Throws a `JexoError` if the file has no call of `defineKit` to which it can be
 * added.
 */
export function addedToKit(...given: Parameters<typeof withSource>): string {
  try {
    return withSource(...given)
  } catch (error) {
    if (error instanceof RangeError) throw kitWriterErrors.kitNotFound(given[1], 'its code is nested too deeply')
    throw error
  }
}

function withSource(ts: Ts, fileName: string, content: string, sectionOf: (names: Names) => KitSection): string {
  const newline = content.includes('\r\n') ? '\r\n' : '\n'
  const file = ts.createSourceFile(fileName, content, ts.ScriptTarget.Latest, true)
  const { statement, parts } = kitIn(ts, file, fileName)
  const names = new Names([...identifiersIn(ts, file), 'defineKit'])
  const section = sectionOf(names)
  const { newNames, insertions } = importsFor(ts, file, section.imports)
  const body = withNames(ts, section.body, newNames)
  const start = statementStart(file, statement)
  const isApart = /(^|\n\r?\n)$/.test(content.slice(0, start))
  const all = [
    ...insertions,
    { at: start, text: `${isApart ? '' : '\n'}${body}\n\n` },
    partsInsertion(ts, file, parts, section.parts),
  ].flat()
  return inserted(
    content,
    all.map(({ at, text }) => ({ at, text: newline === '\n' ? text : text.replaceAll('\n', newline) })),
  )
}

/** Statements with some of their names replaced. */
function withNames(ts: Ts, body: string, newNames: ReadonlyMap<string, string>): string {
  if (newNames.size === 0) return body
  const file = ts.createSourceFile('body.ts', body, ts.ScriptTarget.Latest, true)
  const places: { at: number; end: number; text: string }[] = []
  const visit = (node: TypeScript.Node): void => {
    const other = ts.isIdentifier(node) ? newNames.get(node.text) : undefined
    const { parent } = node
    const isName =
      (parent && ts.isPropertyAccessExpression(parent) && parent.name === node) ||
      (parent && ts.isPropertyAssignment(parent) && parent.name === node)
    if (other !== undefined && !isName) places.push({ at: node.getStart(file), end: node.end, text: other })
    ts.forEachChild(node, visit)
  }
  visit(file)
  return places
    .sort((a, b) => b.at - a.at)
    .reduce((text, { at, end, text: other }) => text.slice(0, at) + other + text.slice(end), body)
}

const inserted = (content: string, insertions: readonly Insertion[]): string =>
  [...insertions]
    .sort((a, b) => b.at - a.at)
    .reduce((text, { at, text: more }) => text.slice(0, at) + more + text.slice(at), content)

/** Start of a statement, including the comments directly above it. */
function statementStart(file: TypeScript.SourceFile, statement: TypeScript.Statement): number {
  const { text } = file
  let at = statement.getStart(file)
  while (at > 0 && text[at - 1] === '\n') {
    const lineStart = text.lastIndexOf('\n', at - 2) + 1
    if (!/^[ \t]*(\/\/|\/\*|\*)/.test(text.slice(lineStart, at))) break
    at = lineStart
  }
  return at
}

/** The statement with the kit, and the expression of its `parts`. */
function kitIn(ts: Ts, file: TypeScript.SourceFile, fileName: string) {
  const calls: { statement: TypeScript.Statement; parts: TypeScript.ObjectLiteralElementLike }[] = []
  for (const statement of file.statements) {
    const visit = (node: TypeScript.Node): void => {
      if (ts.isCallExpression(node) && ts.isIdentifier(node.expression) && node.expression.text === 'defineKit') {
        const [given] = node.arguments
        const parts =
          given && ts.isObjectLiteralExpression(given)
            ? given.properties.find((property) => property.name?.getText(file) === 'parts')
            : undefined
        if (parts) calls.push({ statement, parts })
      }
      ts.forEachChild(node, visit)
    }
    visit(statement)
  }
  const [found, ...others] = calls
  if (!found)
    throw kitWriterErrors.kitNotFound(fileName, 'it has no call of defineKit with an object that has parts')
  if (others.length > 0) throw kitWriterErrors.kitNotFound(fileName, 'it has several kits')
  return found
}

/** Adds elements to the list of parts; another expression becomes a list. */
function partsInsertion(
  ts: Ts,
  file: TypeScript.SourceFile,
  property: TypeScript.ObjectLiteralElementLike,
  added: readonly string[],
): Insertion[] {
  const more = added.join(', ')
  if (ts.isShorthandPropertyAssignment(property))
    return [{ at: property.name.end, text: `: [...${property.name.text}, ${more}]` }]
  if (!ts.isPropertyAssignment(property))
    throw kitWriterErrors.kitNotFound(file.fileName, 'its parts are not a value')
  const { initializer } = property
  if (!ts.isArrayLiteralExpression(initializer)) {
    const start = initializer.getStart(file)
    return [
      { at: start, text: '[...' },
      { at: initializer.end, text: `, ${more}]` },
    ]
  }
  const { elements } = initializer
  const last = elements.at(-1)
  if (!last) return [{ at: initializer.end - 1, text: more }]
  const indent = /\n([ \t]*)$/.exec(file.text.slice(0, last.getStart(file)))?.[1]
  const rest = file.text.slice(last.end, initializer.end - 1)
  const lineEnd = rest.search(/\r?\n/)
  // On one line, or with the bracket on the line of the last element.
  if (indent === undefined || lineEnd < 0) return [{ at: last.end, text: `, ${more}` }]
  return [
    ...(elements.hasTrailingComma ? [] : [{ at: last.end, text: ',' }]),
    { at: last.end + lineEnd, text: added.map((part) => `\n${indent}${part},`).join('') },
  ]
}

/**
 * Adds names to existing imports, and adds missing imports. A name with another meaning in the file gets a different
 * local name.
 */
function importsFor(ts: Ts, file: TypeScript.SourceFile, wanted: readonly KitImport[]) {
  const names = new Names(topLevelNames(ts, file))
  const insertions: Insertion[] = []
  const newNames = new Map<string, string>()
  const declared = file.statements.filter((statement) => ts.isImportDeclaration(statement))
  const newLines: string[] = []
  for (const one of wanted) {
    if (one.namespace !== undefined) {
      newLines.push(importText(one))
      continue
    }
    const same = declared.find(
      ({ moduleSpecifier, importClause }) =>
        ts.isStringLiteral(moduleSpecifier) &&
        moduleSpecifier.text === one.from &&
        importClause?.isTypeOnly !== true &&
        importClause?.namedBindings !== undefined &&
        ts.isNamedImports(importClause.namedBindings),
    )
    const bindings = same?.importClause?.namedBindings as TypeScript.NamedImports | undefined
    const present = new Map(
      (bindings?.elements ?? []).map(({ name, propertyName, isTypeOnly }) => [
        isTypeOnly ? '' : (propertyName ?? name).text,
        name.text,
      ]),
    )
    const missing: string[] = []
    for (const name of one.names ?? []) {
      const known = present.get(name)
      if (known !== undefined && known !== name) newNames.set(name, known)
      if (known !== undefined) continue
      const local = names.take(name)
      if (local !== name) newNames.set(name, local)
      missing.push(local === name ? name : `${name} as ${local}`)
    }
    if (missing.length === 0) continue
    const last = bindings?.elements.at(-1)
    if (last) insertions.push({ at: last.end, text: `, ${missing.join(', ')}` })
    else newLines.push(importText({ ...one, names: missing }))
  }
  const lastImport = declared.at(-1)
  if (newLines.length > 0)
    insertions.push(
      lastImport
        ? { at: lastImport.end, text: newLines.map((line) => `\n${line}`).join('') }
        : { at: file.statements[0]?.getStart(file) ?? 0, text: `${newLines.join('\n')}\n\n` },
    )
  return { insertions, newNames }
}

/** All names in the file, for any purpose; none of them is used for something new. */
function identifiersIn(ts: Ts, file: TypeScript.SourceFile): Set<string> {
  const found = new Set<string>()
  const visit = (node: TypeScript.Node): void => {
    if (ts.isIdentifier(node)) found.add(node.text)
    ts.forEachChild(node, visit)
  }
  visit(file)
  return found
}

/** Top-level declarations and imports of the file. */
function topLevelNames(ts: Ts, file: TypeScript.SourceFile): Set<string> {
  const found = new Set<string>()
  const take = (node: TypeScript.Node): void => {
    if (ts.isIdentifier(node)) found.add(node.text)
    else ts.forEachChild(node, take)
  }
  for (const statement of file.statements) {
    if (ts.isImportDeclaration(statement)) {
      const { name, namedBindings } = statement.importClause ?? {}
      if (name) found.add(name.text)
      if (namedBindings && ts.isNamespaceImport(namedBindings)) found.add(namedBindings.name.text)
      if (namedBindings && ts.isNamedImports(namedBindings))
        for (const one of namedBindings.elements) found.add(one.name.text)
    }
    if (ts.isVariableStatement(statement)) for (const { name } of statement.declarationList.declarations) take(name)
    if (
      (ts.isFunctionDeclaration(statement) ||
        ts.isClassDeclaration(statement) ||
        ts.isEnumDeclaration(statement)) &&
      statement.name
    )
      found.add(statement.name.text)
  }
  return found
}
