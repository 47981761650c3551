import { readFileSync } from 'node:fs'
import { parse } from 'dotenv'
import { kitFileErrors } from './errors.js'

/**
 * Takes variables from a file of `NAME=value` lines into this process's environment; what is set already stays. A file that is not there is
 * fine unless it `isWanted`. Throws a `JexoError` if it cannot be read.
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

/** The names in such a file; none where it cannot be read. */
export function environmentFileNames(file: string): string[] {
  try {
    return Object.keys(parse(readFileSync(file, 'utf8')))
  } catch {
    return []
  }
}
