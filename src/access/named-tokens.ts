import type { Identity } from '../kit/call.js'
import { type AccessCheck, isSame } from './check.js'
import { accessErrors } from './errors.js'
import { onNode } from './on-node.js'
import { maxTokenFileBytes, type NamedToken, parseTokenFile, sha256Of } from './token-file.js'

export interface NamedTokensOptions {
  /** Scopes that every request requires. */
  scopes?: readonly string[]
  /** Called if the changed file cannot be read; the previous tokens stay valid. */
  onProblem?: (message: string) => void
}

/** Minimum interval between checks of the file. */
const lookMs = 1000

/**
 * Accepts the tokens of a file that `jexo token add` writes: one caller per line, with the hash of the token, scopes
 * and an expiry date. A changed file is read again. Requests are answered with 503 while the file cannot be read.
 *
 * @example serveHttp(kit, { access: namedTokens('callers.tokens.jsonl') })
 */
export function namedTokens(file: string, { scopes = [], onProblem }: NamedTokensOptions = {}): AccessCheck {
  let tokens: readonly NamedToken[] | undefined
  let mark = ''
  let lookedAt = 0
  let problem = ''
  const look = async () => {
    if (Date.now() - lookedAt < lookMs && (tokens || problem !== '')) return
    lookedAt = Date.now()
    try {
      const { readFile, stat } = await onNode<typeof import('node:fs/promises')>('node:fs/promises')
      const { mtimeMs, size, ino } = await stat(file)
      const now = `${mtimeMs} ${size} ${ino}`
      if (now === mark) return
      if (size > maxTokenFileBytes)
        throw accessErrors.tokensUnreadable(file, `it is larger than ${maxTokenFileBytes} bytes`)
      tokens = parseTokenFile(file, await readFile(file, 'utf8'))
      mark = now
      problem = ''
    } catch (error) {
      const said = error instanceof Error ? error.message : String(error)
      if (said !== problem) onProblem?.(`${said}${tokens ? ' The tokens read earlier stay valid.' : ''}`)
      problem = said
    }
  }
  return {
    authorizationServers: [],
    scopes,
    async identify({ token }) {
      if (token === undefined) return { refused: 'missing', reason: 'a bearer token is required' }
      await look()
      if (!tokens) return { refused: 'unavailable', reason: 'the token file cannot be read' }
      const hash = await sha256Of(token)
      // Compares all of them, so that the time reveals nothing about the position.
      let found: NamedToken | undefined
      for (const known of tokens) if (isSame(hash, known.sha256)) found = known
      if (!found) return { refused: 'invalid', reason: 'the token is unknown' }
      const expiresAtMs = found.expires === undefined ? undefined : Date.parse(found.expires)
      if (expiresAtMs !== undefined && expiresAtMs <= Date.now())
        return { refused: 'invalid', reason: 'the token has expired' }
      return { identity: identityOf(found), ...(expiresAtMs === undefined ? {} : { expiresAtMs }) }
    },
  }
}

const identities = new WeakMap<NamedToken, Identity>()

/** One object per line, so that values derived from a caller are computed once. */
function identityOf(token: NamedToken): Identity {
  const known = identities.get(token)
  if (known) return known
  const made: Identity = Object.freeze({ subject: token.name, scopes: token.scopes, claims: {} })
  identities.set(token, made)
  return made
}
