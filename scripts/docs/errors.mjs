/** The reference of errors: every code with its problem and its fix, read from the sources that declare them. */
import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { cell } from './commands.mjs'

export function errorPage(source) {
  const files = readdirSync(source, { recursive: true, withFileTypes: true })
    .filter(({ name }) => name === 'errors.ts')
    .map(({ parentPath, name }) => join(parentPath, name))
  const rows = files.flatMap(errorsIn)
  rows.sort((one, other) => (one.code < other.code ? -1 : one.code > other.code ? 1 : 0))
  return `# Errors

Errors of Jexo are \`JexoError\`s. They have a stable \`code\`, the \`problem\`, a \`fix\`, and a \`location\` (a file, part or URL) if there is one. The message is
\`location: problem; fix.\` Some have \`data\` for programs. Test for them with \`isJexoError\` or \`error.code\`, not with \`instanceof\`: a process may have two copies of the package.

Messages for the operator never reach a model. The column *shown to callers* says what the caller of a tool sees; if it is empty, the caller sees only that the call
failed, with an id that the log explains.

| code | problem | fix | shown to callers |
| --- | --- | --- | --- |
${rows.map((row) => `| \`${row.code}\` | ${cell(row.problem)} | ${cell(row.fix)} | ${cell(row.callers)} |`).join('\n')}
`
}

function errorsIn(file) {
  const tree = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true)
  const found = []
  const visit = (node) => {
    if (ts.isNewExpression(node) && node.expression.getText() === 'JexoError') {
      const [code, problem, fix, , details] = node.arguments ?? []
      if (code && ts.isStringLiteral(code))
        found.push({ code: code.text, problem: textOf(problem), fix: textOf(fix), callers: callersOf(details) })
    }
    ts.forEachChild(node, visit)
  }
  visit(tree)
  return found
}

function callersOf(details) {
  if (!details || !ts.isObjectLiteralExpression(details)) return ''
  const property = details.properties.find((one) => one.name?.getText() === 'forCallers')
  if (!property) return ''
  return property.initializer.kind === ts.SyntaxKind.TrueKeyword
    ? 'the whole message'
    : textOf(property.initializer)
}

/** The text of an expression for a reader; inserted values are shown in angle brackets. */
function textOf(node) {
  if (!node) return ''
  if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) return node.text
  if (ts.isTemplateExpression(node))
    return (
      node.head.text +
      node.templateSpans.map(({ expression, literal }) => `${textOf(expression)}${literal.text}`).join('')
    )
  if (ts.isConditionalExpression(node))
    return [node.whenTrue, node.whenFalse].map(textOf).filter(Boolean).join(' / ')
  if (ts.isParenthesizedExpression(node)) return textOf(node.expression)
  if (ts.isIdentifier(node)) return `<${node.text}>`
  if (ts.isPropertyAccessExpression(node)) return `<${node.name.text}>`
  if (ts.isCallExpression(node)) {
    const [first] = node.arguments
    if (ts.isPropertyAccessExpression(node.expression) && ['join', 'replace'].includes(node.expression.name.text))
      return textOf(node.expression.expression)
    return first ? textOf(first) : '<…>'
  }
  return '<…>'
}
