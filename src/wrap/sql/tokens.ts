/** The known databases. MariaDB uses the dialect of MySQL. */
export type SqlDialect = 'sqlite' | 'postgres' | 'mysql'

export type TokenKind = 'comment' | 'string' | 'name' | 'parameter' | 'word' | 'number' | 'end' | 'space' | 'other'
export interface Token {
  readonly kind: TokenKind
  readonly text: string
  readonly at: number
}

type Rule = readonly [TokenKind, RegExp]

// Words are everything that one of these databases accepts as a name, including any non-ASCII character. A number ends
// with its digits, so that `1.into` contains the word that the database sees.
const common: readonly Rule[] = [
  ['space', /\s+/y],
  ['parameter', /:[A-Za-z_]\w*/y],
  ['number', /\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/y],
  ['word', /[A-Za-z_\u0080-\uffff][\w$\u0080-\uffff]*/y],
  ['end', /;/y],
]
const lineComment: Rule = ['comment', /--[^\n]*/y]
const quotedTwice: readonly Rule[] = [
  // An unclosed one extends to the end, as in the databases, and is not searched again.
  ['string', /'[^']*(?:''[^']*)*(?:'|$)/y],
  ['name', /"[^"]*(?:""[^"]*)*(?:"|$)/y],
]
const blockComment: Rule = ['comment', /\/\*[\s\S]*?(?:\*\/|$)/y]

const rules: Readonly<Record<SqlDialect, readonly Rule[]>> = {
  sqlite: [
    blockComment,
    lineComment,
    ...quotedTwice,
    ['name', /`[^`]*(?:``[^`]*)*(?:`|$)/y],
    ['name', /\[[^\]]*(?:\]|$)/y],
    ...common,
  ],
  postgres: [
    ['string', /[eE]'[^'\\]*(?:(?:''|\\[\s\S])[^'\\]*)*(?:'|$)/y],
    ['string', /(\$(?:[A-Za-z_\u0080-\uffff][\w\u0080-\uffff]*)?\$)[\s\S]*?(?:\1|$)/y],
    ['other', /::|:=/y],
    // PostgreSQL ends a line comment at a carriage return too.
    ['comment', /--[^\n\r]*/y],
    ...quotedTwice,
    ...common,
  ],
  mysql: [
    blockComment,
    // Two dashes begin a comment only before a space: `--1` is a number.
    ['comment', /(?:--(?=[\s\p{Cc}]|$)|#)[^\n]*/uy],
    ['string', /'[^'\\]*(?:(?:''|\\[\s\S])[^'\\]*)*(?:'|$)/y],
    ['string', /"[^"\\]*(?:(?:""|\\[\s\S])[^"\\]*)*(?:"|$)/y],
    ['name', /`[^`]*(?:``[^`]*)*(?:`|$)/y],
    ['other', /:=/y],
    ...common,
  ],
}

/** Splits SQL into strings, comments, quoted names and code. */
export function tokensIn(text: string, dialect: SqlDialect): Token[] {
  const tokens: Token[] = []
  for (let at = 0; at < text.length; ) {
    const token = tokenAt(text, at, dialect)
    tokens.push(token)
    at += token.text.length
  }
  return tokens
}

function tokenAt(text: string, at: number, dialect: SqlDialect): Token {
  if (dialect === 'postgres' && text.startsWith('/*', at)) return nestedComment(text, at)
  for (const [kind, pattern] of rules[dialect]) {
    pattern.lastIndex = at
    const [found] = pattern.exec(text) ?? []
    if (found) return { kind, text: found, at }
  }
  return { kind: 'other', text: text[at] ?? '', at }
}

/** PostgreSQL's comments can be nested. */
function nestedComment(text: string, at: number): Token {
  let depth = 0
  for (let end = at; end < text.length; end++) {
    if (text.startsWith('/*', end)) depth++
    else if (text.startsWith('*/', end)) depth--
    else continue
    end++
    if (depth === 0) return { kind: 'comment', text: text.slice(at, end + 1), at }
  }
  return { kind: 'comment', text: text.slice(at), at }
}

/** A statement in tokens, without the final semicolon. */
export interface Statement {
  readonly tokens: readonly Token[]
  /** The comments before the first word. */
  readonly head: readonly Token[]
  readonly text: string
  /** Its position in the file. */
  readonly at: number
}

/** The statements of a text, each with the comments before it. Text without code is not a statement. */
export function statementsIn(text: string, dialect: SqlDialect): Statement[] {
  const statements: Statement[] = []
  let tokens: Token[] = []
  const finish = () => {
    const first = tokens.findIndex(isCode)
    if (first >= 0) {
      const code = tokens.slice(first)
      const head = tokens.slice(0, first)
      statements.push({ tokens: code, head, text: textOf(code).trim(), at: code[0]?.at ?? 0 })
    }
    tokens = []
  }
  for (const token of tokensIn(text, dialect)) {
    if (token.kind === 'end') finish()
    else tokens.push(token)
  }
  finish()
  return statements
}

export const isCode = ({ kind }: Token): boolean => kind !== 'comment' && kind !== 'space'
const textOf = (tokens: readonly Token[]) => tokens.map(({ text }) => text).join('')

/** Words of a statement in upper case, in order. */
export const wordsOf = ({ tokens }: Pick<Statement, 'tokens'>): string[] =>
  tokens.filter(({ kind }) => kind === 'word').map(({ text }) => text.toUpperCase())

/** The names of its parameters, without duplicates. */
export const parametersOf = ({ tokens }: Pick<Statement, 'tokens'>): string[] => [
  ...new Set(tokens.flatMap(({ kind, text }) => (kind === 'parameter' ? [text.slice(1)] : []))),
]

/**
 * A statement in the driver's syntax, with numbered or plain placeholders instead of names, and the name of each
 * placeholder.
 */
export interface Placed {
  readonly text: string
  readonly names: readonly string[]
}

/** With `counts`, a list parameter has a placeholder for each of its items, all with its name. */
export function placed(
  { tokens }: Pick<Statement, 'tokens'>,
  dialect: SqlDialect,
  counts: Readonly<Record<string, number>> = {},
): Placed {
  const names: string[] = []
  const placesOf = new Map<string, string>()
  const places = (name: string): string => {
    const count = Object.hasOwn(counts, name) ? (counts[name] ?? 1) : undefined
    if (count === undefined) return place(name)
    const known = dialect === 'mysql' ? undefined : placesOf.get(name)
    if (known !== undefined) return known
    const made = Array.from({ length: count }, () => {
      names.push(name)
      return dialect === 'mysql' ? '?' : `${dialect === 'postgres' ? '$' : '?'}${names.length}`
    }).join(', ')
    placesOf.set(name, made)
    return made
  }
  const place = (name: string): string => {
    if (dialect === 'mysql') {
      names.push(name)
      return '?'
    }
    if (!names.includes(name)) names.push(name)
    return `${dialect === 'postgres' ? '$' : '?'}${names.indexOf(name) + 1}`
  }
  const text = tokens
    .map((token) => (token.kind === 'parameter' ? places(token.text.slice(1)) : token.text))
    .join('')
  return { text: text.trim(), names }
}
