import { readFileSync } from 'node:fs'
import { parse } from 'dotenv'
import { kitFileErrors } from './errors.js'

/**
 * Loads variables from a file of `NAME=value` lines into this process's environment; variables that are set already
 * stay. A missing file is an error only if it `isWanted`. Throws a `JexoError` if the file cannot be read.
 */
export function takeEnvironmentFile(file: string, isWanted = false): void {
  let text: string
  try {
    text = readFileSync(file, 'utf8')
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? String(error)
    if (!isWanted && (code === 'ENOENT' || code === 'ENOTDIR' || code === 'EISDIR')) return
    throw kitFileErrors.environmentFileUnreadable(file, code)
  }
  for (const [name, value] of Object.entries(parse(text))) process.env[name] ??= value
}

/** The names in such a file; empty if it cannot be read. */
export function environmentFileNames(file: string): string[] {
  try {
    return Object.keys(parse(readFileSync(file, 'utf8')))
  } catch {
    return []
  }
}
