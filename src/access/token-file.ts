import { isScope } from '../kit/scope.js'
import { isObject } from '../protocol/messages.js'
import { accessErrors } from './errors.js'

/** One caller of a token file: the name, and the hash of the token. The token itself is not stored. */
export interface NamedToken {
  name: string
  /** SHA-256 of the token, in hexadecimal digits. */
  sha256: string
  scopes: readonly string[]
  /** Expiry date, ISO 8601; omitted if the token does not expire. */
  expires?: string
}

const head = { version: 1, kind: 'tokens' }
export const maxTokenFileBytes = 5_000_000

/**
 * Parses a token file in JSON Lines (`schemas/tokens.schema.json`). Throws a `JexoError` that names the line with the
 * error.
 */
export function parseTokenFile(file: string, text: string): NamedToken[] {
  const lines = text.split('\n').map((line, at) => ({ line: line.trim(), at: at + 1 }))
  const [first, ...rest] = lines.filter(({ line }) => line !== '')
  const opening = first && objectIn(first.line)
  if (opening?.kind !== 'tokens' || opening.version !== 1)
    throw accessErrors.tokensUnreadable(file, 'its first line is not {"version":1,"kind":"tokens"}')
  const tokens = rest.map(({ line, at }) => {
    const value = objectIn(line)
    if (!isNamedToken(value))
      throw accessErrors.tokensUnreadable(file, `line ${at} is not {name, sha256, scopes, expires?}`)
    return value
  })
  const names = new Set<string>()
  for (const { name } of tokens) {
    if (names.has(name)) throw accessErrors.tokensUnreadable(file, `${JSON.stringify(name)} has two tokens`)
    names.add(name)
  }
  return tokens
}

export const tokenFileText = (tokens: readonly NamedToken[]): string =>
  `${[head, ...tokens].map((line) => JSON.stringify(line)).join('\n')}\n`

export const isCallerName = (name: unknown): name is string =>
  typeof name === 'string' && /^[\w.@-]{1,100}$/.test(name)

function isNamedToken(value: unknown): value is NamedToken {
  return (
    isObject(value) &&
    isCallerName(value.name) &&
    typeof value.sha256 === 'string' &&
    /^[\da-f]{64}$/.test(value.sha256) &&
    Array.isArray(value.scopes) &&
    value.scopes.every(isScope) &&
    (value.expires === undefined || (typeof value.expires === 'string' && !Number.isNaN(Date.parse(value.expires))))
  )
}

function objectIn(line: string) {
  try {
    const value: unknown = JSON.parse(line)
    return isObject(value) ? value : undefined
  } catch {
    return undefined
  }
}

/** SHA-256 of a text, in hexadecimal digits. */
export async function sha256Of(text: string): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text))
  return [...new Uint8Array(digest)].map((byte) => byte.toString(16).padStart(2, '0')).join('')
}
