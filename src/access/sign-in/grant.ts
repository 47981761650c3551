import {
  allowInsecureRequests,
  type Client,
  type ClientAuth,
  customFetch,
  type TokenEndpointResponse,
} from 'oauth4webapi'
import { basicCredentials } from '../exchange.js'
import { fetchBounded } from '../issuer-metadata.js'
import type { BoundedFetch } from './steps.js'

/** Stored data of a sign-in. */
export interface Grant {
  accessToken: string
  refreshToken?: string
  /** When the token expires, in milliseconds since 1970. */
  expiresAtMs?: number
  scopes: readonly string[]
}

/** The identity of a client at an authorization server. */
export interface KnownClient {
  client: Client
  auth: ClientAuth
}

/** A token is refreshed this long before it expires. */
const earlyMs = 30_000
export const isFresh = ({ expiresAtMs }: Grant): boolean =>
  expiresAtMs === undefined || expiresAtMs - earlyMs > Date.now()

export function grantOf(response: TokenEndpointResponse, asked: readonly string[], before?: Grant): Grant {
  const { access_token: accessToken, refresh_token: rotated, expires_in: seconds, scope } = response
  const refreshToken = rotated ?? before?.refreshToken
  return {
    accessToken,
    ...(refreshToken === undefined ? {} : { refreshToken }),
    ...(seconds === undefined ? {} : { expiresAtMs: Date.now() + seconds * 1000 }),
    scopes: scope === undefined ? asked : scope.split(' ').filter(Boolean),
  }
}

/** Endpoints were checked to use https, or http on this machine. */
export const requestOptions = (send: BoundedFetch = fetchBounded) =>
  ({
    [allowInsecureRequests]: true,
    [customFetch]: (url: string, init: object) => send(url, init as RequestInit),
  }) as const

/** The stored identity of a client at an authorization server. */
export interface ClientId {
  clientId: string
  clientSecret?: string
  clientAuth?: 'client_secret_post'
}

export const knownClient = (
  oauth: typeof import('oauth4webapi'),
  { clientId, clientSecret, clientAuth }: ClientId,
): KnownClient => ({
  client: { client_id: clientId },
  auth:
    clientSecret === undefined
      ? oauth.None()
      : clientAuth === 'client_secret_post'
        ? oauth.ClientSecretPost(clientSecret)
        : secretBasic(clientSecret),
})

/** `client_secret_basic`, with no more escapes than a form has: some authorization servers undo none (RFC 6749, section 2.3.1). */
export function secretBasic(secret: string): ClientAuth {
  return (_server, client, _body, headers) =>
    headers.set('authorization', basicCredentials({ id: client.client_id, secret }))
}
