import { variableMark } from './recorded.js'

export interface ShellWords {
  readonly words: readonly string[]
  /** End of the command in the text. */
  readonly end: number
  /** Redirected input of the command: a here-document or a here-string; undefined for files or without redirection. */
  readonly stdin?: string
}

/** A piece of a word: its text and its end. */
interface Piece {
  readonly text: string
  readonly end: number
}

/**
 * Splits a command into words like a POSIX shell: quotes, escapes, lines continued with a backslash (or PowerShell's
 * backquote), redirections. Variables and `$(…)` are replaced by marks. Throws if a quote is not closed.
 */
export function shellWords(text: string, start: number): ShellWords {
  const words: string[] = []
  const documents: { mark: string; isQuoted: boolean; isIndented: boolean }[] = []
  let stdin: string | undefined
  let word: string | undefined
  let redirection: string | undefined
  let at = start
  const finish = () => {
    if (word === undefined) return
    if (redirection === undefined) words.push(word)
    else if (redirection === '<<<') stdin = `${word}\n`
    redirection = undefined
    word = undefined
  }
  while (at < text.length) {
    const char = text.charAt(at)
    const [lineEnd] = /^[\\`]\r?\n/.exec(text.slice(at, at + 3)) ?? []
    if (lineEnd !== undefined) {
      finish()
      at += lineEnd.length
      continue
    }
    if (/[ \t]/.test(char)) {
      finish()
      at++
      continue
    }
    if (/[\n\r;|&)]/.test(char) && !/^&>/.test(text.slice(at, at + 2))) break
    if (char === '#' && word === undefined) break
    const document = /^<<(-?)[ \t]*(["']?)(\w+)\2/.exec(text.slice(at, at + 80))
    if (document) {
      const [whole, dash, quote, mark = ''] = document
      documents.push({ mark, isQuoted: quote !== '', isIndented: dash !== '' })
      at += whole.length
      continue
    }
    const placeholder = /^<[\w-]+>/.exec(text.slice(at, at + 64))
    const arrow = placeholder ? null : /^(?:&>>?|<<<|\d?>>?(?:&\d)?|<)/.exec(text.slice(at, at + 4))
    const isNumbered = arrow !== null && /^\d/.test(arrow[0]) && word !== undefined
    if (arrow && !isNumbered && /[<>]/.test(arrow[0])) {
      finish()
      // `2>&1` does not name a file.
      if (!/&\d$/.test(arrow[0])) redirection = arrow[0]
      at += arrow[0].length
      continue
    }
    const piece: Piece = placeholder ? { text: placeholder[0], end: at + placeholder[0].length } : pieceAt(text, at)
    word = (word ?? '') + piece.text
    at = piece.end
  }
  finish()
  for (const document of documents) {
    const { content, end } = documentAt(text, at, document)
    stdin = content
    at = end
  }
  return { words, end: at, ...(stdin === undefined ? {} : { stdin }) }
}

/** A quoted text, a variable, a command substitution, an escaped character, or a plain character. */
function pieceAt(text: string, at: number): Piece {
  const char = text.charAt(at)
  if (char === '\\') return { text: text.charAt(at + 1), end: at + 2 }
  if (char === "'") {
    const close = text.indexOf("'", at + 1)
    if (close < 0) throw new Error('a single quote is not closed')
    return { text: text.slice(at + 1, close), end: close + 1 }
  }
  if (char === '"') return doubleQuoted(text, at + 1)
  if (char === '$' && text.charAt(at + 1) === "'") return ansiQuoted(text, at + 2)
  return valueAt(text, at) ?? { text: char, end: at + 1 }
}

/** A variable or a command substitution, as a mark. */
function valueAt(text: string, at: number): Piece | undefined {
  const char = text.charAt(at)
  // Three backquotes end a code block in Markdown.
  if (char === '`' && !text.startsWith('```', at)) return outputOf(text, at + 1, text.indexOf('`', at + 1), 1)
  if (char !== '$') return undefined
  if (text.charAt(at + 1) === '(') return outputOf(text, at + 2, closing(text, at + 2), 1)
  const variable = variableAt(text, at)
  return variable ? { text: variableMark(variable.name), end: variable.end } : { text: '$', end: at + 1 }
}

/** `$(cat token.txt)` becomes a value named `cat_token_txt`. */
function outputOf(text: string, from: number, close: number, length: number): Piece {
  if (close < 0) throw new Error('the output of another command is not closed')
  const name =
    text
      .slice(from, close)
      .match(/[A-Za-z]\w*/g)
      ?.slice(0, 4)
      .join('_') ?? 'value'
  return { text: variableMark(name), end: close + length }
}

function closing(text: string, from: number): number {
  let depth = 1
  for (let at = from; at < text.length && at < from + 2000; at++) {
    const char = text.charAt(at)
    if (char === "'" || char === '"') {
      const close = text.indexOf(char, at + 1)
      if (close < 0) return -1
      at = close
    } else if (char === '(') depth++
    else if (char === ')' && --depth === 0) return at
  }
  return -1
}

/** Maximum length of a here-document, in characters. */
const maxDocument = 100_000

/** The lines of a here-document, from the end of the line that declares it. */
function documentAt(
  text: string,
  from: number,
  { mark, isQuoted, isIndented }: { mark: string; isQuoted: boolean; isIndented: boolean },
): { content: string; end: number } {
  const first = text.indexOf('\n', from) + 1
  if (first === 0) throw new Error(`the here-document ${mark} is not there`)
  const lines: string[] = []
  for (let at = first; at < Math.min(text.length, first + maxDocument); ) {
    const next = text.indexOf('\n', at)
    const end = next < 0 ? text.length : next
    const line = text
      .slice(at, end)
      .replace(/\r$/, '')
      .replace(isIndented ? /^\t+/ : /^(?!)/, '')
    if (line === mark) return { content: isQuoted ? lines.join('') : filled(lines.join('')), end }
    lines.push(`${line}\n`)
    at = end + 1
  }
  throw new Error(`the here-document ${mark} is not closed`)
}

/** A text in which variables and command substitutions are replaced by marks. */
function filled(text: string): string {
  let made = ''
  for (let at = 0; at < text.length; ) {
    const isEscape = text.charAt(at) === '\\' && /[\\$`\n]/.test(text.charAt(at + 1))
    const piece = isEscape
      ? { text: text.charAt(at + 1) === '\n' ? '' : text.charAt(at + 1), end: at + 2 }
      : (valueAt(text, at) ?? { text: text.charAt(at), end: at + 1 })
    made += piece.text
    at = piece.end
  }
  return made
}

function doubleQuoted(text: string, start: number): Piece {
  let made = ''
  for (let at = start; at < text.length; ) {
    const char = text.charAt(at)
    if (char === '"') return { text: made, end: at + 1 }
    if (char === '\\' && /["\\$`\n]/.test(text.charAt(at + 1))) {
      if (text.charAt(at + 1) !== '\n') made += text.charAt(at + 1)
      at += 2
      continue
    }
    const piece = valueAt(text, at) ?? { text: char, end: at + 1 }
    made += piece.text
    at = piece.end
  }
  throw new Error('a double quote is not closed')
}

const escapes: Readonly<Record<string, string>> = {
  n: '\n',
  t: '\t',
  r: '\r',
  "'": "'",
  '"': '"',
  '?': '?',
  '\\': '\\',
  a: '\x07',
  b: '\b',
  e: '\x1b',
  E: '\x1b',
  f: '\f',
  v: '\v',
}

/** `$'…'`, which browsers use to copy requests. Consecutive escaped bytes form UTF-8 text. */
function ansiQuoted(text: string, start: number): Piece {
  let made = ''
  let bytes: number[] = []
  const add = (piece: string) => {
    if (bytes.length > 0) made += Buffer.from(bytes).toString('utf8')
    bytes = []
    made += piece
  }
  for (let at = start; at < text.length; ) {
    const char = text.charAt(at)
    if (char === "'") {
      add('')
      return { text: made, end: at + 1 }
    }
    if (char !== '\\') {
      add(char)
      at++
      continue
    }
    const [whole = '', point, long, hex, octal] =
      /^\\(?:u([\da-fA-F]{1,4})|U([\da-fA-F]{1,8})|x([\da-fA-F]{1,2})|([0-7]{1,3}))/.exec(
        text.slice(at, at + 12),
      ) ?? []
    const code = Number.parseInt(point ?? long ?? '', 16)
    if (hex !== undefined || octal !== undefined)
      bytes.push(hex === undefined ? Number.parseInt(octal ?? '', 8) & 255 : Number.parseInt(hex, 16))
    else if (code <= 0x10ffff) add(point === undefined ? String.fromCodePoint(code) : String.fromCharCode(code))
    else add(escapes[text.charAt(at + 1)] ?? `\\${text.charAt(at + 1)}`)
    at += whole === '' ? 2 : whole.length
  }
  throw new Error('a single quote is not closed')
}

function variableAt(text: string, at: number): { name: string; end: number } | undefined {
  const [whole, braced, bare] = /^\$(?:\{([A-Za-z_]\w*)[^}]*\}|([A-Za-z_]\w*))/.exec(text.slice(at, at + 200)) ?? []
  const name = braced ?? bare
  return name === undefined ? undefined : { name, end: at + (whole?.length ?? 0) }
}
