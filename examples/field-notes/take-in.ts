import { createHash } from 'node:crypto'
import { readdir, readFile } from 'node:fs/promises'
import { fileURLToPath } from 'node:url'
import type { SqlDatabase, StatementCall } from 'jexo/sql'
import { parse } from 'yaml'

export interface Passage {
  heading: string
  body: string
}
export interface Note {
  site: string
  on: string
  title: string
  passages: Passage[]
}
export interface TakenIn {
  notes: number
  /** New or changed since the last import. */
  changed: number
  gone: number
  /** Files that are not notes, each with the reason. */
  skipped: string[]
}

/**
 * Parses a note: site and day at the top, a title, and passages under headings. Throws an error that names what is
 * missing.
 */
export function readNote(text: string): Note {
  const [, head, rest = ''] = /^---\r?\n([\s\S]*?)\r?\n---\r?\n([\s\S]*)$/.exec(text) ?? []
  if (head === undefined) throw new Error('it does not begin with --- and site and on')
  const { site, on } = (parse(head) ?? {}) as { site?: unknown; on?: unknown }
  const day = on instanceof Date ? on.toISOString().slice(0, 10) : String(on ?? '')
  if (typeof site !== 'string') throw new Error('it does not say its site')
  if (!/^\d{4}-\d\d-\d\d$/.test(day)) throw new Error('it does not say its day as 2026-06-02')
  const parts = rest.split(/^#{1,2} (.*)$/m).slice(1)
  const passages: Passage[] = []
  for (let at = 0; at + 1 < parts.length; at += 2)
    passages.push({ heading: (parts[at] ?? '').trim(), body: (parts[at + 1] ?? '').trim() })
  const [first] = passages
  if (!first) throw new Error('it has no title')
  return { site, on: day, title: first.heading, passages: passages.filter(({ body }) => body !== '') }
}

/**
 * Imports the notes of a folder into the book. Unchanged notes are skipped; files that are not notes are reported, and
 * the import continues.
 */
export async function takeIn(
  database: SqlDatabase,
  folder: URL,
  onNote: (done: number, all: number, file: string, isChanged: boolean) => void,
  call?: StatementCall,
): Promise<TakenIn> {
  const files = (await readdir(fileURLToPath(folder))).filter((name) => name.endsWith('.md')).sort()
  const known = new Map(
    (await database.rows('select file, hash from notes', {}, call)).map(({ file, hash }) => [
      String(file),
      String(hash),
    ]),
  )
  const result: TakenIn = { notes: 0, changed: 0, gone: 0, skipped: [] }
  for (const [at, file] of files.entries()) {
    const text = await readFile(new URL(file, folder), 'utf8')
    const hash = createHash('sha256').update(text).digest('hex')
    const before = result.changed
    try {
      const note = readNote(text)
      if (known.get(file) !== hash) {
        await forget(database, file, call)
        await keep(database, file, hash, note, call)
        result.changed++
      }
      result.notes++
      known.delete(file)
    } catch (error) {
      if (call?.signal?.aborted) throw error
      result.skipped.push(`${file}: ${(error as Error).message}`)
    }
    onNote(at + 1, files.length, file, result.changed > before)
  }
  for (const file of known.keys()) {
    await forget(database, file, call)
    result.gone++
  }
  return result
}

async function forget(database: SqlDatabase, file: string, call?: StatementCall): Promise<void> {
  await database.change('delete from passages where file = :file', { file }, call)
  await database.change('delete from notes where file = :file', { file }, call)
}

async function keep(
  database: SqlDatabase,
  file: string,
  hash: string,
  { site, on, title, passages }: Note,
  call?: StatementCall,
): Promise<void> {
  const note = { file, site, on, title }
  await database.change(
    `insert into notes (file, hash, site, "on", title) values (:file, '', :site, :on, :title)`,
    note,
    call,
  )
  for (const { heading, body } of passages)
    await database.change(
      'insert into passages (file, heading, body) values (:file, :heading, :body)',
      { file, heading, body },
      call,
    )
  // Written last, so that a note whose import was interrupted is imported again.
  await database.change('update notes set hash = :hash where file = :file', { file, hash }, call)
}
