import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { basename, join } from 'node:path'
import { readTape } from '../tape/read.js'
import { type RecordedCall, sequenceText } from './case-file.js'
import { callsOnTape } from './cases-of-tape.js'
import { replayErrors } from './errors.js'

/** A case file that was created from a session. */
export interface SavedSession {
  file: string
  steps: number
  unanswered: number
  /** The target for the case, if known. */
  target: string | undefined
}

/**
 * Writes a case for each session on a tape, with its calls as steps. Existing files are not overwritten. Rejects with a `JexoError` if
 * the tape cannot be read, or nothing was called on it.
 */
export async function saveTape(tape: string, folder: string, target?: string): Promise<SavedSession[]> {
  const text = await readFile(tape, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw replayErrors.caseUnreadable(tape, `the tape cannot be read (${error.code ?? error.message})`)
  })
  const sessions = callsOnTape(readTape(tape, text)).filter(({ calls }) => calls.length > 0)
  if (sessions.length === 0)
    throw replayErrors.caseUnreadable(tape, 'the tape has no calls, reads or prompts to create cases from')
  await mkdir(folder, { recursive: true })
  const name = basename(tape).replace(/\.tape\.jsonl$/, '')
  const saved: SavedSession[] = []
  for (const [at, { label, calls, unanswered }] of sessions.entries()) {
    const named = target ?? (/^https?:\/\//.test(label) ? label : undefined)
    const stem = sessions.length === 1 ? name : `${name}-${at + 1}`
    const file = await writeNew(folder, stem, sequenceText(named, calls as RecordedCall[]))
    saved.push({ file, steps: calls.length, unanswered, target: named })
  }
  return saved
}

/** Writes a case to a new file: `name.case.yaml`, else `name-2.case.yaml`. */
export async function writeNew(folder: string, stem: string, text: string): Promise<string> {
  for (let number = 1; ; number++) {
    const file = join(folder, `${number === 1 ? stem : `${stem}-${number}`}.case.yaml`)
    try {
      await writeFile(file, text, { flag: 'wx' })
      return file
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      if (code !== 'EEXIST') throw replayErrors.caseUnwritable(file, code ?? String(error))
    }
  }
}
