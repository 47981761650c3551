import { randomBytes } from 'node:crypto'
import { chmod, open, readFile, rename, rm } from 'node:fs/promises'
import { accessErrors } from './errors.js'
import { isCallerName, type NamedToken, parseTokenFile, sha256Of, tokenFileText } from './token-file.js'

/** The callers of a token file; none where there is no file yet. Rejects with a `JexoError` if it cannot be read. */
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

/** Makes a token, and adds its hash to the file. The token is returned, and is nowhere else. Rejects if the name is taken. */
export async function addToken(file: string, { name, scopes, expires }: NewToken): Promise<string> {
  const tokens = await readTokens(file)
  if (!isCallerName(name)) throw accessErrors.callerName(name)
  if (tokens.some((known) => known.name === name)) throw accessErrors.callerTaken(file, name)
  const token = `jexo_${randomBytes(32).toString('base64url')}`
  const entry = { name, sha256: await sha256Of(token), scopes, ...(expires === undefined ? {} : { expires }) }
  await write(file, [...tokens, entry])
  return token
}

/** Takes a caller out of the file. Rejects if there is none of the name. */
export async function removeToken(file: string, name: string): Promise<void> {
  const tokens = await readTokens(file)
  const rest = tokens.filter((known) => known.name !== name)
  if (rest.length === tokens.length)
    throw accessErrors.callerUnknown(
      file,
      name,
      tokens.map((known) => known.name),
    )
  await write(file, rest)
}

/** In one step, for the owner alone. */
async function write(file: string, tokens: readonly NamedToken[]): Promise<void> {
  const draft = `${file}.${randomBytes(9).toString('base64url')}.jexo-draft`
  try {
    const handle = await open(draft, 'wx', 0o600)
    try {
      await handle.writeFile(tokenFileText(tokens))
      await handle.sync()
    } finally {
      await handle.close()
    }
    await chmod(draft, 0o600)
    await rename(draft, file)
  } catch (error) {
    await rm(draft, { force: true })
    throw accessErrors.tokensUnwritable(file, (error as NodeJS.ErrnoException).code ?? String(error))
  }
}
