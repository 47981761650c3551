import { relative } from 'node:path'
import type ts from 'typescript'

/** A file for messages: below the current folder as a relative path. */
export const shown = (file: string): string => {
  const near = relative(process.cwd(), file)
  return near.startsWith('..') ? file : near
}

/** `colony.ts:12` */
export function placeOf(source: ts.SourceFile, position: number, file: string): string {
  const { line } = source.getLineAndCharacterOfPosition(position)
  return `${source.fileName === file ? shown(file) : shown(source.fileName)}:${line + 1}`
}
