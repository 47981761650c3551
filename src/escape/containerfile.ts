import { oneLine } from './one-line.js'

/** A comment; a backslash at its end would join the next line. */
export const containerComment = (text: string): string => `# ${oneLine(text).replace(/\\+$/, '')}`

/** An instruction in its JSON form, which no shell reads. */
export const containerInstruction = (name: string, words: readonly string[]): string =>
  `${name} ${JSON.stringify(words.map(oneLine))}`
