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

/** One fingerprint in parts, so that a comparison can name the part that changed. */
export const fingerprintOfParts = (parts: readonly unknown[]): string => parts.map(fingerprint).join('.')

/**
 * What has changed since a kit was written: a line for each tool that is new (`+`), gone (`-`) or changed (`~`). `partNames` are the names of
 * the parts of a fingerprint, in their order. Throws a `JexoError` if the file was not written by `jexo wrap`.
 */
export function changesSince(
  outFile: string,
  now: WrittenMark['tools'],
  signatureOf: (tool: string) => string = (tool) => tool,
  partNames: readonly string[] = [],
): readonly string[] {
  const { tools: written } = markIn(outFile)
  const names = [...new Set([...Object.keys(written), ...Object.keys(now)])].sort()
  return names.flatMap((tool) => {
    const before = written[tool]
    const after = now[tool]
    if (before === after) return []
    if (after === undefined) return [`- ${tool}`]
    if (before === undefined) return [`+ ${signatureOf(tool)}`]
    const old = before.split('.')
    const parts = after.split('.')
    const changed = partNames.filter((_name, at) => old[at] !== parts[at])
    return [`~ ${signatureOf(tool)}${changed.length > 0 ? `   (${changed.join(', ')})` : ''}`]
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

/** The options that a kit was written with; files that it names relative to itself are absolute. Throws like {@link markIn}. */
export function optionsOfKit(outFile: string): Readonly<Record<string, unknown>> {
  const folder = dirname(resolve(outFile))
  const isFileOption = (name: string, value: unknown): value is unknown[] =>
    (name === 'operations' || name === 'queries') && Array.isArray(value)
  return Object.fromEntries(
    Object.entries(markIn(outFile).options).map(([name, value]) => [
      name,
      isFileOption(name, value) ? value.map((file) => resolve(folder, String(file))) : value,
    ]),
  )
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
