const width = 112

/** JSON as one would write it in TypeScript: no quotes where none are needed, on one line where it fits. */
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

export const keyText = (key: string): string => (isIdentifier(key) ? key : textLiteral(key))
export const isIdentifier = (text: string): boolean => /^[A-Za-z_$][\w$]*$/.test(text)

/** Single quotes, unless the text has some itself. */
export function textLiteral(text: string): string {
  const json = JSON.stringify(text)
  return text.includes("'") ? json : `'${json.slice(1, -1).replaceAll('\\"', '"')}'`
}
