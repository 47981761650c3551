import { oneLine } from './one-line.js'

const width = 112

/** JSON as TypeScript source: keys without quotes where possible, on one line if it fits. */
export function literal(value: unknown, indent: number, used = 0): string {
  const flat = flatLiteral(value)
  if (flat.length + indent + used <= width) return flat
  const pad = ' '.repeat(indent + 2)
  const end = ' '.repeat(indent)
  if (Array.isArray(value)) {
    return `[\n${value.map((item) => `${pad}${literal(item, indent + 2)},\n`).join('')}${end}]`
  }
  if (typeof value !== 'object' || value === null) return flat
  const lines = Object.entries(value).map(([key, item]) => {
    const name = `${keyText(key)}: `
    return `${pad}${name}${literal(item, indent + 2, name.length)},\n`
  })
  return `{\n${lines.join('')}${end}}`
}

function flatLiteral(value: unknown): string {
  if (typeof value === 'string') return textLiteral(value)
  if (Array.isArray(value)) return `[${value.map(flatLiteral).join(', ')}]`
  if (typeof value !== 'object' || value === null) return JSON.stringify(value)
  const entries = Object.entries(value).map(([key, item]) => `${keyText(key)}: ${flatLiteral(item)}`)
  return entries.length === 0 ? '{}' : `{ ${entries.join(', ')} }`
}

/** A key in an object literal. `__proto__` without brackets would set the prototype. */
export function keyText(key: string): string {
  if (key === '__proto__') return `['__proto__']`
  return isIdentifier(key) ? key : textLiteral(key)
}
export const isIdentifier = (text: string): boolean => /^[A-Za-z_$][\w$]*$/.test(text)

/** A literal in single quotes, unless the text contains some. Nothing in the text can end the literal. */
export function textLiteral(text: string): string {
  const json = withoutSeparators(JSON.stringify(text))
  return text.includes("'") ? json : `'${json.slice(1, -1).replaceAll('\\"', '"')}'`
}

/**
 * JSON on one line of source code. JSON permits two line separators inside strings that end a line in JavaScript; they
 * are escaped.
 */
export const jsonLine = (value: unknown): string => withoutSeparators(JSON.stringify(value))

const withoutSeparators = (json: string): string =>
  json.replaceAll('\u2028', '\\u2028').replaceAll('\u2029', '\\u2029')

/** A line comment, whatever the text contains. */
export const lineComment = (text: string): string => `// ${oneLine(text)}`
