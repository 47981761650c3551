import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { basename, dirname, relative, resolve, sep } from 'node:path'
import { jsonLine } from '../../escape/typescript.js'
import { kitFileErrors } from '../../kit-file/errors.js'
import { isObject } from '../../protocol/messages.js'
import { kitWriterErrors } from './errors.js'

/**
 * The mark in the last line of a written kit file: its source, the options, hashes of the tools, and a hash of the file.
 */
export interface WrittenMark {
  readonly kind: string
  /** Path relative to the kit file, or the name of a package. */
  readonly source: string
  readonly options: Readonly<Record<string, unknown>>
  /** Fingerprints of the planned tools by name. */
  readonly tools: Readonly<Record<string, string>>
}

/** A source in a kit file: its kind, and its absolute path or address. */
export type MarkedSource = Pick<WrittenMark, 'kind' | 'source'>

const start = '// jexo wrap: '

/** The text of a kit file with a mark for each of its sources. */
export function markedText(text: string, marks: readonly WrittenMark[]): string {
  const lines = marks.map((mark) => `${start}${jsonLine({ ...mark, text: fingerprint(text) })}\n`)
  return `${text}\n${lines.join('')}`
}

/** The mark of a source that is added to an existing kit file, without a hash of the file. */
export const addedMarkLine = (mark: WrittenMark): string => `${start}${jsonLine({ ...mark, text: '' })}`

/** The marks of a kit file, and whether it was edited; empty if `jexo wrap` did not write it. */
export function readMarks(content: string): { marks: readonly WrittenMark[]; isEdited: boolean } {
  const marks: WrittenMark[] = []
  let rest = content.trimEnd()
  let isEdited = false
  const fingerprints: string[] = []
  for (;;) {
    const at = rest.lastIndexOf('\n') + 1
    const found = rest.startsWith(start, at) ? markOf(rest.slice(at + start.length)) : undefined
    if (!found) break
    const { text, ...mark } = found
    marks.unshift(mark)
    fingerprints.push(text)
    rest = rest.slice(0, Math.max(0, at - 1))
  }
  if (marks.length > 0) {
    // The text ends with the newline before the first mark.
    const text = fingerprint(rest)
    isEdited = fingerprints.some((one) => one !== text)
  }
  return { marks, isEdited }
}

function markOf(json: string): (WrittenMark & { text: string }) | undefined {
  try {
    const found: unknown = JSON.parse(json)
    return isObject(found) && isObject(found.tools) && isObject(found.options)
      ? (found as unknown as WrittenMark & { text: string })
      : undefined
  } catch {
    return undefined
  }
}

export const fingerprint = (value: unknown): string =>
  createHash('sha256')
    .update(typeof value === 'string' ? value : JSON.stringify(value))
    .digest('hex')
    .slice(0, 10)

/** A fingerprint in several parts, so that a comparison can name the part that changed. */
export const fingerprintOfParts = (parts: readonly unknown[]): string => parts.map(fingerprint).join('.')

/**
 * The changes since a kit was written: a line per added (`+`), removed (`-`) or changed (`~`) tool. `partNames` are the
 * names of the parts of a fingerprint, in order. Throws a `JexoError` if the file was not written by `jexo wrap`.
 */
export function changesSince(
  outFile: string,
  source: MarkedSource,
  now: WrittenMark['tools'],
  signatureOf: (tool: string) => string = (tool) => tool,
  partNames: readonly string[] = [],
): readonly string[] {
  const { tools: written } = markIn(outFile, source)
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

/** Writes a kit file with its marks. Throws a `JexoError` if that would overwrite edits. */
export function writeMarked(outFile: string, text: string, marks: readonly WrittenMark[], isForced: boolean): void {
  const out = resolve(outFile)
  if (existsSync(out) && !isForced) {
    const { marks: before, isEdited } = readMarks(readFileSync(out, 'utf8'))
    if (before.length === 0) throw kitWriterErrors.kitFileExists(outFile)
    if (isEdited) throw kitWriterErrors.kitFileEdited(outFile)
  }
  mkdirSync(dirname(out), { recursive: true })
  writeFileSync(out, markedText(text, marks))
}

/** The mark of a source in a kit file. Throws a `JexoError` if there is no file, or it was not written by `jexo wrap` for this source. */
export function markIn(outFile: string, { kind, source }: MarkedSource): WrittenMark {
  const out = resolve(outFile)
  if (!existsSync(out)) throw kitFileErrors.kitFileMissing(outFile)
  const { marks } = readMarks(readFileSync(out, 'utf8'))
  if (marks.length === 0) throw kitWriterErrors.kitFileUnmarked(outFile)
  const alike = marks.filter((mark) => mark.kind === kind)
  // If it is the only source of its kind, it may have moved.
  const found =
    alike.find((mark) => isSame(out, mark.source, source)) ?? (alike.length === 1 ? alike[0] : undefined)
  if (!found)
    throw kitWriterErrors.kitFileOfOthers(
      outFile,
      marks.map((mark) => mark.source),
    )
  return found
}

const isSame = (out: string, written: string, source: string): boolean =>
  written === source || resolve(dirname(out), written) === source

/** The options of a written kit; files that it names relative to itself become absolute. Throws like {@link markIn}. */
export function optionsOfKit(outFile: string, source: MarkedSource): Readonly<Record<string, unknown>> {
  const folder = dirname(resolve(outFile))
  const isFileOption = (name: string, value: unknown): value is unknown[] =>
    (name === 'operations' || name === 'queries') && Array.isArray(value)
  return Object.fromEntries(
    Object.entries(markIn(outFile, source).options).map(([name, value]) => [
      name,
      isFileOption(name, value) ? value.map((file) => resolve(folder, String(file))) : value,
    ]),
  )
}

/** The name of a kit, from its file name: `registry.kit.ts` → `registry`. */
export const kitNameOf = (outFile: string): string => basename(outFile).replace(/(\.kit)?\.[cm]?[jt]sx?$/, '')

/** The relative path by which a kit file names another file. */
export function pathFrom(outFile: string, source: string): string {
  const near = relative(dirname(resolve(outFile)), source)
    .split(sep)
    .join('/')
  return near.startsWith('.') ? near : `./${near}`
}
