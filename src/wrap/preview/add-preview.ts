import { randomBytes } from 'node:crypto'
import { existsSync, readFileSync, realpathSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { basename, dirname, extname, join, resolve } from 'node:path'
import { kitFileErrors } from '../../kit-file/errors.js'
import { loadKit, shownPath } from '../../kit-file/kit-file.js'
import { addedToKit } from '../kit-writer/add-to-kit.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { addedMarkLine, readMarks } from '../kit-writer/written-kit.js'
import { loadCompiler } from '../module/compiler.js'
import { type NamedPreview, variableFor } from './write-previews.js'

/**
 * Adds a source to a kit file, without changing anything else in it. The new kit is loaded before the file is replaced.
 * Rejects with a `JexoError` if the file has no kit to which it can be added, if the source is in it already, or if the
 * kit does not load with it.
 */
export async function addPreview(kitFile: string, { known, preview, label }: NamedPreview): Promise<void> {
  if (!existsSync(kitFile)) throw kitFileErrors.kitFileMissing(kitFile)
  // A link is kept.
  const path = realpathSync(resolve(kitFile))
  const content = readFileSync(path, 'utf8')
  const entry = preview.entry(variableFor(known))
  const mark = entry.mark(path)
  const { marks } = readMarks(content)
  if (marks.some(({ kind, source }) => kind === mark.kind && source === mark.source))
    throw kitWriterErrors.sourceThere(kitFile, label)
  const ts = loadCompiler('adding a source to a kit file')
  const text = addedToKit(ts, basename(path), content, (names) => entry.section(path, names))
  const newline = content.includes('\r\n') ? '\r\n' : '\n'
  const end = marks.length === 0 ? newline.repeat(2) : newline
  await replaceAfterTrial(path, `${text.trimEnd()}${end}${addedMarkLine(mark)}${newline}`, () =>
    preview.writeBeside?.(path),
  )
}

/** Loads the new text from a temporary file, and replaces the kit file if that succeeds. */
async function replaceAfterTrial(path: string, text: string, before: () => void): Promise<void> {
  const ending = extname(path)
  const draft = join(dirname(path), `.${basename(path, ending)}-${randomBytes(4).toString('hex')}${ending}`)
  try {
    before()
    writeFileSync(draft, text, { mode: statSync(path).mode })
    await loadKit(draft, true).catch((error: unknown) => {
      throw kitWriterErrors.notAdded(shownPath(path), error)
    })
    renameSync(draft, path)
  } finally {
    rmSync(draft, { force: true })
  }
}
