import { readFileSync } from 'node:fs'
import { kitFileErrors } from './errors.js'

/**
 * Loads variables from a file of `NAME=value` lines into this process's environment; variables that are set already
 * stay. A missing file is an error only if it `isWanted`. Rejects with a `JexoError` if the file cannot be read.
 */
export async function takeEnvironmentFile(file: string, isWanted = false): Promise<void> {
  let text: string
  try {
    text = readFileSync(file, 'utf8')
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? String(error)
    if (!isWanted && (code === 'ENOENT' || code === 'ENOTDIR' || code === 'EISDIR')) return
    throw kitFileErrors.environmentFileUnreadable(file, code)
  }
  for (const [name, value] of Object.entries(await parsed(text))) process.env[name] ??= value
}

/** The names in such a file; empty if it cannot be read. */
export async function environmentFileNames(file: string): Promise<string[]> {
  try {
    return Object.keys(await parsed(readFileSync(file, 'utf8')))
  } catch {
    return []
  }
}

/** Loads the parser, and with it Node's crypto, only where there is a file. */
async function parsed(text: string): Promise<Record<string, string>> {
  const { parse } = await import('dotenv')
  return parse(text)
}
