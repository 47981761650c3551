import { basename } from 'node:path'
import { fileURLToPath } from 'node:url'
import { contentMark } from './frozen.js'

/** A word of a command line; files, such as scripts, may be URLs. */
export type ProgramWord = string | URL

export const wordText = (word: ProgramWord): string => (word instanceof URL ? fileURLToPath(word) : word)

/** The files among the words. */
export const filesAmong = (words: readonly ProgramWord[]): string[] =>
  words.flatMap((word) => (word instanceof URL ? [fileURLToPath(word)] : []))

/** Key of a plan: files are identified by content, independent of their location. */
export const wordMarks = (words: readonly ProgramWord[]): string[] =>
  words.map((word) =>
    word instanceof URL ? `${basename(fileURLToPath(word))} ${contentMark(fileURLToPath(word))}` : word,
  )
