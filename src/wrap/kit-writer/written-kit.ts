import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { basename, dirname, relative, resolve, sep } from 'node:path'
import { jsonLine } from '../../escape/typescript.js'
import { kitFileErrors } from '../../kit-file/errors.js'
import { kitWriterErrors } from './errors.js'

/**
 * What a written kit file says of itself in its last line: of which source it was made, with what options, what each tool was like
 * then, and whether the file is still as it was written.
 */
export interface WrittenMark {
  readonly kind: string
  /** Relative to the kit file, or the name of a package. */
  readonly source: string
  readonly options: Readonly<Record<string, unknown>>
  /** Fingerprints of the planned tools by name. */
  readonly tools: Readonly<Record<string, string>>
}

const start = '// jexo wrap: '

/** The text of a kit file with its mark. */
export function markedText(text: string, mark: WrittenMark): string {
  return `${text}\n${start}${jsonLine({ ...mark, text: fingerprint(text) })}\n`
}

/** The mark of a kit file, and whether somebody has edited it since; undefined if it was not written by `jexo wrap`. */
export function readMark(content: string): { mark: WrittenMark; isEdited: boolean } | undefined {
  const at = content.lastIndexOf(`\n${start}`)
  if (at < 0) return undefined
  try {
    const [line = ''] = content.slice(at + 1 + start.length).split('\n')
    const { text, ...mark } = JSON.parse(line) as WrittenMark & { text: string }
    return { mark, isEdited: fingerprint(content.slice(0, at)) !== text }
  } catch {
    return undefined
  }
}

export const fingerprint = (value: unknown): string =>
  createHash('sha256')
    .update(typeof value === 'string' ? value : JSON.stringify(value))
    .digest('hex')
    .slice(0, 10)

/** A change of the source since a kit was written. */
export interface Moved {
  readonly tool: string
  readonly how: 'new' | 'gone' | 'changed'
}

export function movedOn(written: WrittenMark['tools'], now: WrittenMark['tools']): Moved[] {
  const names = [...new Set([...Object.keys(written), ...Object.keys(now)])].sort()
  return names.flatMap((tool): Moved[] => {
    if (written[tool] === now[tool]) return []
    return [{ tool, how: written[tool] === undefined ? 'new' : now[tool] === undefined ? 'gone' : 'changed' }]
  })
}

/** Writes a kit file with its mark. Throws a `JexoError` if that would lose what somebody has written. */
export function writeMarked(outFile: string, text: string, mark: WrittenMark, isForced: boolean): void {
  const out = resolve(outFile)
  if (existsSync(out) && !isForced) {
    const found = readMark(readFileSync(out, 'utf8'))
    if (!found) throw kitWriterErrors.kitFileExists(outFile)
    if (found.isEdited) throw kitWriterErrors.kitFileEdited(outFile)
  }
  mkdirSync(dirname(out), { recursive: true })
  writeFileSync(out, markedText(text, mark))
}

/** The mark of a kit file. Throws a `JexoError` if there is no file, or it was not written by `jexo wrap`. */
export function markIn(outFile: string): WrittenMark {
  const out = resolve(outFile)
  if (!existsSync(out)) throw kitFileErrors.kitFileMissing(outFile)
  const found = readMark(readFileSync(out, 'utf8'))
  if (!found) throw kitWriterErrors.kitFileUnmarked(outFile)
  return found.mark
}

/** The name that a kit has by its file: `registry.kit.ts` → `registry`. */
export const kitNameOf = (outFile: string): string => basename(outFile).replace(/(\.kit)?\.[cm]?[jt]sx?$/, '')

/** How a kit file names another: by its path from there. */
export function pathFrom(outFile: string, source: string): string {
  const near = relative(dirname(resolve(outFile)), source)
    .split(sep)
    .join('/')
  return near.startsWith('.') ? near : `./${near}`
}
