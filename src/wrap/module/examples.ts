import type ts from 'typescript'
import type { Example } from '../../kit/part.js'
import type { Compiler } from './docs.js'
import { literalValue } from './literals.js'
import type { FunctionReading } from './reading.js'

/** `winterFeed(9, 8) // 3.3`, or the arguments as JSON; other examples are only for readers. */
export function exampleOf(
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
