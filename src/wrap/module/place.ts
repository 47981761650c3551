import { relative } from 'node:path'
import type ts from 'typescript'

/** A file as people see it: below the current folder by its relative path. */
export const shown = (file: string): string => {
  const near = relative(process.cwd(), file)
  return near.startsWith('..') ? file : near
}

/** `colony.ts:12` */
export function placeOf(source: ts.SourceFile, position: number, file: string): string {
  const { line } = source.getLineAndCharacterOfPosition(position)
  return `${source.fileName === file ? shown(file) : shown(source.fileName)}:${line + 1}`
}
