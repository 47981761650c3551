import { copyFile, readFile, rename, writeFile } from 'node:fs/promises'
import { applyEdits, modify } from 'jsonc-parser'
import { problems } from '../errors.js'
import { isObject } from '../protocol/messages.js'
import { findServers, parseConfig } from './config-file.js'
import type { HostEntry } from './entry.js'

export interface Written {
  /** Path of keys under which the entry stands. */
  path: readonly string[]
  isNew: boolean
  isUnchanged: boolean
  /** Where the file as it was is kept; undefined where there was none. */
  backup: string | undefined
}

/**
 * Writes an entry into a host's JSON or JSONC configuration: comments, order and other entries stay, the file as it
 * was is kept beside it, and it is replaced in one step. Rejects where the name is another server's.
 */
export async function writeEntry(
  file: string,
  name: string,
  entry: HostEntry,
  mayReplace = false,
): Promise<Written> {
  const before = await readIfThere(file)
  const text = before ?? ''
  const map = findServers(parseConfig(file, text)) ?? { path: ['mcpServers'], servers: {} }
  const known = Object.hasOwn(map.servers, name) ? map.servers[name] : undefined
  const path = [...map.path, name]
  if (JSON.stringify(known) === JSON.stringify(typed(map.path, entry))) {
    return { path, isNew: false, isUnchanged: true, backup: undefined }
  }
  if (isObject(known) && !mayReplace && !isSameServer(known, entry)) throw problems.configEntryTaken(file, name)
  const edits = modify(text, path, typed(map.path, entry), { formattingOptions: formattingOf(text) })
  const after = applyEdits(text, edits)
  const backup = before === undefined ? undefined : `${file}.before-jexo`
  if (backup) await copyFile(file, backup)
  const draft = `${file}.jexo-draft`
  await writeFile(draft, after.endsWith('\n') ? after : `${after}\n`)
  await rename(draft, file)
  return { path, isNew: known === undefined, isUnchanged: false, backup }
}

async function readIfThere(file: string): Promise<string | undefined> {
  try {
    return await readFile(file, 'utf8')
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined
    throw problems.configUnreadable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
}

/** A map called `servers` says of each entry how it is reached. */
function typed(path: readonly string[], entry: HostEntry): object {
  if (path.at(-1) !== 'servers') return entry
  return { type: 'url' in entry ? 'http' : 'stdio', ...entry }
}

/** True where the entry that is there starts the same kit or has the same URL: then it is ours to renew. */
function isSameServer(known: Readonly<Record<string, unknown>>, entry: HostEntry): boolean {
  if ('url' in entry) return known.url === entry.url
  return Array.isArray(known.args) && known.args.at(-1) === entry.args.at(-1)
}

function formattingOf(text: string) {
  const indent = /\n([ \t]+)\S/.exec(text)?.[1] ?? '  '
  return {
    insertSpaces: !indent.includes('\t'),
    tabSize: indent.length,
    eol: text.includes('\r\n') ? '\r\n' : '\n',
  }
}
