import { randomBytes } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { isJexoError } from '../errors.js'
import { whileLocked } from '../files/lock.js'
import { replaceFile } from '../files/replace-file.js'
import { accessErrors } from './errors.js'
import { isCallerName, type NamedToken, parseTokenFile, sha256Of, tokenFileText } from './token-file.js'

/** The callers of a token file; empty if there is no file yet. Rejects with a `JexoError` if it cannot be read. */
export async function readTokens(file: string): Promise<NamedToken[]> {
  try {
    return parseTokenFile(file, await readFile(file, 'utf8'))
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'ENOENT') return []
    throw code === undefined || !/^E[A-Z]+$/.test(code) ? error : accessErrors.tokensUnreadable(file, code)
  }
}

export interface NewToken {
  name: string
  scopes: readonly string[]
  expires?: string
}

/**
 * Creates a token, and adds its hash to the file. Returns the token, which is stored nowhere. Rejects if the name is in
 * use.
 */
export async function addToken(file: string, { name, scopes, expires }: NewToken): Promise<string> {
  if (!isCallerName(name)) throw accessErrors.callerName(name)
  const token = `jexo_${randomBytes(32).toString('base64url')}`
  const entry = { name, sha256: await sha256Of(token), scopes, ...(expires === undefined ? {} : { expires }) }
  await change(file, (tokens) => {
    if (tokens.some((known) => known.name === name)) throw accessErrors.callerTaken(file, name)
    return [...tokens, entry]
  })
  return token
}

/** Removes a caller from the file. Rejects if the name is unknown. */
export async function removeToken(file: string, name: string): Promise<void> {
  await change(file, (tokens) => {
    const rest = tokens.filter((known) => known.name !== name)
    const names = tokens.map((known) => known.name)
    if (rest.length === tokens.length) throw accessErrors.callerUnknown(file, name, names)
    return rest
  })
}

/** Replaces the file atomically, by one process at a time, readable only by its owner. */
async function change(file: string, make: (tokens: NamedToken[]) => NamedToken[]): Promise<void> {
  try {
    await whileLocked(file, async () => replaceFile(file, tokenFileText(make(await readTokens(file)))))
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw isJexoError(error) ? error : accessErrors.tokensUnwritable(file, code ?? message)
  }
}
