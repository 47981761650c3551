import { accessErrors } from '../errors.js'
import { type Discovered, discover } from './discover.js'
import { type Grant, grantOf, isFresh, requestOptions } from './grant.js'
import type { Challenge, SignIn } from './sign-in.js'

export interface ClientCredentialsOptions {
  /** Id of this program at the authorization server. */
  clientId: string
  clientSecret?: string
  /** A private key in the place of a secret (`private_key_jwt`). */
  privateKey?: CryptoKey
  /** Scopes to ask for; those that the server needs by default. */
  scopes?: readonly string[]
}

/**
 * Signs a program in by itself, without a person (OAuth 2.1, client credentials). Tokens are kept in memory, and requested again before they end and when
 * the server needs more scopes.
 *
 * @example const link = await connect(url, { signIn: clientCredentials({ clientId: 'reporter', clientSecret: process.env.REPORTER_SECRET }) })
 */
export function clientCredentials({
  clientId,
  clientSecret,
  privateKey,
  scopes,
}: ClientCredentialsOptions): SignIn {
  const grants = new Map<string, Grant>()
  const found = new Map<string, Discovered>()
  const renew = async (endpoint: URL, challenge: Challenge): Promise<string> => {
    const oauth = await import('oauth4webapi')
    const discovered = found.get(endpoint.href) ?? (await discover(endpoint, challenge))
    found.set(endpoint.href, discovered)
    const { server, resource } = discovered
    const wanted = [...new Set([...(scopes ?? []), ...(challenge.scope?.split(' ') ?? [])])].filter(Boolean)
    const auth = privateKey
      ? oauth.PrivateKeyJwt(privateKey)
      : clientSecret === undefined
        ? oauth.None()
        : oauth.ClientSecretBasic(clientSecret)
    try {
      const parameters = { resource, ...(wanted.length > 0 ? { scope: wanted.join(' ') } : {}) }
      const client = { client_id: clientId }
      const response = await oauth.clientCredentialsGrantRequest(server, client, auth, parameters, requestOptions)
      const grant = grantOf(await oauth.processClientCredentialsResponse(server, client, response), wanted)
      grants.set(endpoint.href, grant)
      return grant.accessToken
    } catch (error) {
      throw accessErrors.signInFailed(endpoint.href, 'token', reasonOf(error), 'authorization server')
    }
  }
  return {
    token: async (endpoint) => {
      const known = grants.get(endpoint.href)
      if (!known) return undefined
      return isFresh(known) ? known.accessToken : renew(endpoint, {})
    },
    renew,
  }
}

/** What the authorization server said, or why it said nothing. */
export function reasonOf(error: unknown): string {
  if (!(error instanceof Error)) return String(error)
  const { error: code, error_description: description } = error as { error?: unknown; error_description?: unknown }
  if (typeof code === 'string')
    return typeof description === 'string' ? `${code}: ${description.slice(0, 300)}` : code
  const { cause } = error
  return cause instanceof Error ? `${error.message}: ${cause.message}` : error.message
}
