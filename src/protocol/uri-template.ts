import { uriUnreserved, wellFormed } from '../escape/uri.js'
import { protocolErrors } from './errors.js'
import { matchPieces, type Piece } from './uri-match.js'

/**
 * URI templates (RFC 6570) in both directions: variables → URI, and URI → variables. Matched values are
 * percent-decoded; only `{+x}` and `{#x}` may contain slashes.
 */
export interface UriTemplate {
  readonly source: string
  /** Names of the variables, in order of appearance. */
  readonly variables: readonly string[]
  expand(values: Readonly<Record<string, TemplateValue>>): string
  /** The variables of a URI that matches this template, or undefined if it does not match. */
  match(uri: string): Record<string, string> | undefined
}
export type TemplateValue =
  | string
  | number
  | boolean
  | readonly string[]
  | Readonly<Record<string, string>>
  | undefined

interface Variable {
  name: string
  explode: boolean
  maxLength: number | undefined
}
interface Expression {
  operator: string
  variables: Variable[]
}
interface Style {
  first: string
  separator: string
  named: boolean
  ifEmpty: string
  reserved: boolean
}

const styles: Record<string, Style> = {
  '': { first: '', separator: ',', named: false, ifEmpty: '', reserved: false },
  '+': { first: '', separator: ',', named: false, ifEmpty: '', reserved: true },
  '#': { first: '#', separator: ',', named: false, ifEmpty: '', reserved: true },
  '.': { first: '.', separator: '.', named: false, ifEmpty: '', reserved: false },
  '/': { first: '/', separator: '/', named: false, ifEmpty: '', reserved: false },
  ';': { first: ';', separator: ';', named: true, ifEmpty: '', reserved: false },
  '?': { first: '?', separator: '&', named: true, ifEmpty: '=', reserved: false },
  '&': { first: '&', separator: '&', named: true, ifEmpty: '=', reserved: false },
}
const variablePattern =
  /^((?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2})(?:\.?(?:[A-Za-z0-9_]|%[0-9A-Fa-f]{2}))*)(?:(\*)|:([1-9]\d{0,3}))?$/

/** Parses a template. Throws a `JexoError` that describes the error in it. */
export function parseUriTemplate(source: string): UriTemplate {
  const parts = splitTemplate(source)
  const expressions = parts.filter((part): part is Expression => typeof part !== 'string')
  const variables = [...new Set(expressions.flatMap((part) => part.variables.map((variable) => variable.name)))]
  const pieces = parts.map(pieceOf)
  return Object.freeze({
    source,
    variables: Object.freeze(variables),
    expand: (values: Readonly<Record<string, TemplateValue>>) =>
      parts.map((part) => (typeof part === 'string' ? part : expandExpression(part, values))).join(''),
    match: (uri: string) => readMatch(expressions, matchPieces(pieces, uri)),
  })
}

function splitTemplate(source: string): (string | Expression)[] {
  const parts: (string | Expression)[] = []
  for (const [text, inner] of source.matchAll(/\{([^{}]*)\}|[^{}]+|[{}]/gu)) {
    if (inner === undefined) {
      if (text === '{' || text === '}') throw protocolErrors.templateInvalid(source, `a lone ${text}`)
      parts.push(text)
    } else {
      parts.push(parseExpression(source, inner))
    }
  }
  return parts
}

function parseExpression(source: string, inner: string): Expression {
  const operator = inner[0] !== undefined && inner[0] in styles && inner[0] !== '' ? inner[0] : ''
  const variables = inner
    .slice(operator.length)
    .split(',')
    .map((text) => {
      const found = variablePattern.exec(text)
      if (!found?.[1]) throw protocolErrors.templateInvalid(source, `{${inner}} has no variable name`)
      return { name: found[1], explode: found[2] !== undefined, maxLength: found[3] ? Number(found[3]) : undefined }
    })
  return { operator, variables }
}

const styleOf = (operator: string): Style => styles[operator] as Style

function expandExpression(expression: Expression, values: Readonly<Record<string, TemplateValue>>): string {
  const style = styleOf(expression.operator)
  const pieces = expression.variables
    .map((variable) => expandVariable(variable, values[variable.name], style))
    .filter((piece): piece is string => piece !== undefined)
  return pieces.length > 0 ? style.first + pieces.join(style.separator) : ''
}

function expandVariable(variable: Variable, value: TemplateValue, style: Style): string | undefined {
  if (value === undefined) return undefined
  const encode = style.reserved ? encodeReserved : uriUnreserved
  const named = (text: string) => {
    if (!style.named) return text
    return text === '' ? `${variable.name}${style.ifEmpty}` : `${variable.name}=${text}`
  }
  if (typeof value !== 'object') {
    const text = String(value)
    return named(encode(variable.maxLength ? [...text].slice(0, variable.maxLength).join('') : text))
  }
  const items = Array.isArray(value) ? (value as readonly string[]).map((item) => encode(item)) : undefined
  const pairs = Object.entries(value as Readonly<Record<string, string>>).map(([key, item]) => [
    encode(key),
    encode(item),
  ])
  if (pairs.length === 0) return undefined
  if (!variable.explode) return named((items ?? pairs.flat()).join(','))
  if (items) return items.map(named).join(style.separator)
  return pairs.map(([key, item]) => `${key}=${item}`).join(style.separator)
}

const encodeReserved = (text: string) =>
  encodeURI(wellFormed(text))
    .replaceAll('%5B', '[')
    .replaceAll('%5D', ']')
    .replace(/%25([0-9A-Fa-f]{2})/g, '%$1')

const lineEnds = '\n\r\u2028\u2029'

/** The pieces that match an expression in a URI. */
function pieceOf(part: string | Expression): Piece {
  if (typeof part === 'string') return { kind: 'text', text: part }
  const { operator } = part
  const { first, named, reserved } = styleOf(operator)
  if (named) return { kind: 'run', prefix: first, stops: '#/', least: 0, isOptional: true }
  const stops = reserved ? lineEnds : operator === '/' ? '?#' : '/?#'
  if (operator === '' || operator === '+') return { kind: 'run', prefix: '', stops, least: 1, isOptional: false }
  return { kind: 'run', prefix: first, stops, least: 1, isOptional: true }
}

function readMatch(
  expressions: Expression[],
  found: readonly string[] | undefined,
): Record<string, string> | undefined {
  if (!found) return undefined
  const values: Record<string, string> = {}
  for (const [index, expression] of expressions.entries()) {
    if (!readExpression(expression, found[index] ?? '', values)) return undefined
  }
  return values
}

function readExpression(expression: Expression, text: string, values: Record<string, string>): boolean {
  const style = styleOf(expression.operator)
  const body = style.first !== '' && text.startsWith(style.first) ? text.slice(1) : text
  if (style.named) return readNamed(expression, body, style, values)
  const isSingle = expression.variables.length === 1
  const pieces = isSingle ? [body] : body.split(style.separator)
  if (isSingle && expression.operator === '/' && !expression.variables[0]?.explode && body.includes('/'))
    return false
  if (pieces.length > expression.variables.length) return false
  return pieces.every((piece, index) => {
    const variable = expression.variables[index]
    return variable === undefined || (text === '' && style.first !== '') || put(values, variable.name, piece)
  })
}

function readNamed(expression: Expression, body: string, style: Style, values: Record<string, string>): boolean {
  if (body === '') return true
  const names = new Set(expression.variables.map((variable) => variable.name))
  return body.split(style.separator).every((pair) => {
    const at = pair.indexOf('=')
    const name = at < 0 ? pair : pair.slice(0, at)
    return names.has(name) && put(values, name, at < 0 ? '' : pair.slice(at + 1))
  })
}

function put(values: Record<string, string>, name: string, text: string): boolean {
  try {
    const decoded = decodeURIComponent(text)
    if (Object.hasOwn(values, name) && values[name] !== decoded) return false
    values[name] = decoded
    return true
  } catch {
    return false
  }
}
