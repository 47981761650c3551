import {
  allowInsecureRequests,
  type Client,
  type ClientAuth,
  customFetch,
  type TokenEndpointResponse,
} from 'oauth4webapi'
import { fetchBounded } from '../issuer-metadata.js'

/** What is kept of a sign-in. */
export interface Grant {
  accessToken: string
  refreshToken?: string
  /** When the token ends, in milliseconds since 1970. */
  expiresAtMs?: number
  scopes: readonly string[]
}

/** Who a client is at an authorization server. */
export interface KnownClient {
  client: Client
  auth: ClientAuth
}

/** Requested again so long before it ends. */
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

/** Endpoints were checked to be https, or http on this machine. */
export const requestOptions = {
  [allowInsecureRequests]: true,
  [customFetch]: (url: string, init: object) => fetchBounded(url, init as RequestInit),
} as const
