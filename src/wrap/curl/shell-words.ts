import { variableMark } from './recorded.js'

export interface ShellWords {
  readonly words: readonly string[]
  /** Where the command ends in the text. */
  readonly end: number
}

const escapes: Readonly<Record<string, string>> = {
  n: '\n',
  t: '\t',
  r: '\r',
  "'": "'",
  '"': '"',
  '\\': '\\',
  a: '\x07',
  b: '\b',
  f: '\f',
  v: '\v',
  '0': '\0',
}

/**
 * The words of one command from a place in a text, as a POSIX shell would split them: quotes of all kinds, escapes, lines that go on
 * after a backslash. Variables stay, as marks. Throws if a quote is not closed.
 */
export function shellWords(text: string, start: number): ShellWords {
  const words: string[] = []
  let word: string | undefined
  let at = start
  const add = (piece: string) => {
    word = (word ?? '') + piece
  }
  const finish = () => {
    if (word !== undefined) words.push(word)
    word = undefined
  }
  while (at < text.length) {
    const char = text.charAt(at)
    if (char === '\\' && /^\\\r?\n/.test(text.slice(at, at + 3))) {
      at += text.charAt(at + 1) === '\r' ? 3 : 2
      finish()
    } else if (char === '\\') {
      add(text.charAt(at + 1))
      at += 2
    } else if (char === "'") {
      const close = text.indexOf("'", at + 1)
      if (close < 0) throw new Error('a single quote is not closed')
      add(text.slice(at + 1, close))
      at = close + 1
    } else if (char === '$' && text.charAt(at + 1) === "'") {
      at = ansiQuoted(text, at + 2, add)
    } else if (char === '"') {
      at = doubleQuoted(text, at + 1, add)
    } else if (char === '$') {
      const variable = variableAt(text, at)
      add(variable ? variableMark(variable.name) : '$')
      at = variable?.end ?? at + 1
    } else if (/[ \t]/.test(char)) {
      finish()
      at++
    } else if (/[\n\r;|&)]/.test(char) || (char === '#' && word === undefined)) {
      break
    } else if (/[<>]/.test(char)) {
      // A redirection: of no concern, with the file it goes to; placeholders such as <id> are words.
      const placeholder = /^<[\w-]+>/.exec(text.slice(at, at + 64))
      if (placeholder) {
        add(placeholder[0])
        at += placeholder[0].length
      } else break
    } else {
      add(char)
      at++
    }
  }
  finish()
  return { words, end: at }
}

function doubleQuoted(text: string, start: number, add: (piece: string) => void): number {
  add('')
  for (let at = start; at < text.length; at++) {
    const char = text.charAt(at)
    if (char === '"') return at + 1
    if (char === '\\' && /["\\$`\n]/.test(text.charAt(at + 1))) {
      if (text.charAt(at + 1) !== '\n') add(text.charAt(at + 1))
      at++
    } else if (char === '$') {
      const variable = variableAt(text, at)
      add(variable ? variableMark(variable.name) : '$')
      if (variable) at = variable.end - 1
    } else add(char)
  }
  throw new Error('a double quote is not closed')
}

/** `$'…'`, as browsers copy requests. */
function ansiQuoted(text: string, start: number, add: (piece: string) => void): number {
  add('')
  for (let at = start; at < text.length; at++) {
    const char = text.charAt(at)
    if (char === "'") return at + 1
    if (char !== '\\') {
      add(char)
      continue
    }
    const [coded, hex] = /^\\(?:u([\da-fA-F]{4})|x([\da-fA-F]{2}))/.exec(text.slice(at)) ?? []
    const digits = hex ?? coded?.slice(2)
    if (digits !== undefined && coded !== undefined) {
      add(String.fromCharCode(Number.parseInt(digits, 16)))
      at += coded.length - 1
    } else {
      at++
      add(escapes[text.charAt(at)] ?? `\\${text.charAt(at)}`)
    }
  }
  throw new Error('a single quote is not closed')
}

function variableAt(text: string, at: number): { name: string; end: number } | undefined {
  const [whole, braced, bare] = /^\$(?:\{([A-Za-z_]\w*)[^}]*\}|([A-Za-z_]\w*))/.exec(text.slice(at, at + 200)) ?? []
  const name = braced ?? bare
  return name === undefined ? undefined : { name, end: at + (whole?.length ?? 0) }
}
