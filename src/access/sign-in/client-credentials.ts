import { accessErrors } from '../errors.js'
import { type Discovered, discover } from './discover.js'
import { type Grant, grantOf, isFresh, requestOptions, secretBasic } from './grant.js'
import { reasonOf, ruleOf, tokenDetail } from './reasons.js'
import type { Challenge, SignIn } from './sign-in.js'
import { type BoundedFetch, type OnSignInStep, SignInTrace } from './steps.js'

export interface ClientCredentialsOptions {
  /** Id of this program at the authorization server. */
  clientId: string
  clientSecret?: string
  /** A private key instead of a secret (`private_key_jwt`). */
  privateKey?: CryptoKey
  /** Scopes to request. Default: those that the server requires. */
  scopes?: readonly string[]
  /** Called after each step of a sign-in. */
  onStep?: OnSignInStep
}

/**
 * Signs in a program without a user (OAuth 2.1, client credentials). Tokens are cached in memory, and requested again before they expire and when the server requires more scopes.
 *
 * @example const link = await connect(url, { signIn: clientCredentials({ clientId: 'reporter', clientSecret: process.env.REPORTER_SECRET }) })
 */
export function clientCredentials({
  clientId,
  clientSecret,
  privateKey,
  scopes,
  onStep,
}: ClientCredentialsOptions): SignIn {
  const trace = new SignInTrace(onStep)
  const grants = new Map<string, Grant>()
  const found = new Map<string, Discovered>()
  const renew = async (endpoint: URL, challenge: Challenge): Promise<string> => {
    const oauth = await import('oauth4webapi')
    const discovered = found.get(endpoint.href) ?? (await discover(endpoint, challenge, trace))
    found.set(endpoint.href, discovered)
    const { server, resource } = discovered
    const wanted = [...new Set([...(scopes ?? []), ...(challenge.scope?.split(' ') ?? [])])].filter(Boolean)
    const auth = privateKey
      ? oauth.PrivateKeyJwt(privateKey)
      : clientSecret === undefined
        ? oauth.None()
        : secretBasic(clientSecret)
    const parameters = { resource, ...(wanted.length > 0 ? { scope: wanted.join(' ') } : {}) }
    const client = { client_id: clientId }
    const request = async (send: BoundedFetch) => {
      try {
        const options = requestOptions(send)
        const response = await oauth.clientCredentialsGrantRequest(server, client, auth, parameters, options)
        return grantOf(await oauth.processClientCredentialsResponse(server, client, response), wanted)
      } catch (error) {
        throw accessErrors.signInFailed(endpoint.href, 'token', reasonOf(error), ruleOf(error))
      }
    }
    const grant = await trace.step('token', request, tokenDetail)
    grants.set(endpoint.href, grant)
    return grant.accessToken
  }
  return {
    token: async (endpoint) => {
      const known = grants.get(endpoint.href)
      if (!known) return undefined
      return isFresh(known) ? known.accessToken : renew(endpoint, {})
    },
    renew,
    ...(onStep ? { onStep } : {}),
  }
}
