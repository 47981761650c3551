import type { Credential } from './credentials.js'

/** Credential for an API whose description does not declare one. */
export type CredentialGiven =
  | { kind: 'bearer' }
  | { kind: 'basic' }
  | { kind: 'apiKey'; in: 'header' | 'query' | 'cookie'; parameter: string; prefix?: string }
  | { kind: 'clientCredentials'; tokenUrl: string; scopes?: readonly string[] }
  /**
   * A token for this API on behalf of the tool's caller, by token exchange (RFC 8693). Requires `issuerTokens` with a
   * `client`.
   */
  | { exchange: { audience: string; scopes?: readonly string[] } }

/** The credential named `own`, with settings of this prefix. */
export function ownCredential(given: CredentialGiven, prefix: string): Credential {
  if ('exchange' in given) {
    const { audience, scopes = [] } = given.exchange
    return { name: 'own', kind: 'exchange', audience, scopes }
  }
  if (given.kind === 'bearer') return { name: 'own', kind: 'bearer', setting: `${prefix}_TOKEN` }
  if (given.kind === 'apiKey') return { name: 'own', ...given, setting: `${prefix}_API_KEY` }
  if (given.kind === 'basic')
    return { name: 'own', kind: 'basic', userSetting: `${prefix}_USER`, passwordSetting: `${prefix}_PASSWORD` }
  const { tokenUrl, scopes = [] } = given
  return {
    name: 'own',
    kind: 'clientCredentials',
    tokenUrl,
    scopes,
    idSetting: `${prefix}_CLIENT_ID`,
    secretSetting: `${prefix}_CLIENT_SECRET`,
  }
}
