import { colours, columns, wrapped } from '../terminal/output.js'

/** A title with details on the same line. */
export const heading = (title: string, note: string) => `${colours.bold(title)}  ${colours.dim(note)}`

/** Breaks a text into lines with an indentation. */
export const indented = (text: string, indent: number): string[] =>
  wrapped(text, columns() - indent).map((line) => (line === '' ? '' : ' '.repeat(indent) + line))

/** A title with a text below it. */
export const note = (title: string, text: string) => [
  colours.bold(title),
  ...text.split('\n').flatMap((line) => indented(line, 2)),
  '',
]

/** `1 tool`, `2,000 tools`. */
export const counted = (count: number, what: string) =>
  `${count.toLocaleString('en')} ${what}${count === 1 ? '' : 's'}`
