import type { Identity } from '../kit/call.js'
import { accessErrors } from './errors.js'
import { fetchObject, isSafeUrl } from './issuer-metadata.js'

/** This server's credentials at an authorization server. */
export interface ExchangeClient {
  id: string
  secret: string
}
/** Another API for which a caller's token is exchanged. */
export interface ExchangeTarget {
  audience: string
  scopes?: readonly string[]
}

/** A token is requested again this long before it expires. */
const earlyMs = 30_000
const mostKept = 1000

/** Basic credentials as OAuth writes them: both parts encoded as form values (RFC 6749, section 2.3.1). */
export const basicCredentials = ({ id, secret }: ExchangeClient): string =>
  `Basic ${btoa(`${formValue(id)}:${formValue(secret)}`)}`
const formValue = (text: string) => new URLSearchParams([['', text]]).toString().slice(1)

/**
 * Creates a function that gets a token for another API in the name of a caller (RFC 8693). Tokens are cached per caller
 * until shortly before they expire. The caller's own token is only sent to the authorization server.
 */
export function exchanger(metadata: () => Promise<Record<string, unknown>>, client: ExchangeClient) {
  const kept = new Map<string, { token: string; until: number }>()
  return (token: string, { issuer, subject, clientId, scopes: own }: Identity) =>
    async ({ audience, scopes = [] }: ExchangeTarget): Promise<string> => {
      // Cached by user and client, since another client of the same user may have fewer rights.
      const key = JSON.stringify([issuer, subject, clientId, own, audience, scopes])
      const known = kept.get(key)
      if (known && known.until > Date.now()) return known.token
      const { token_endpoint: endpoint } = await metadata().catch((error) => {
        throw accessErrors.exchangeFailed(audience, String(error.message))
      })
      if (!isSafeUrl(endpoint)) throw accessErrors.exchangeFailed(audience, 'there is no token endpoint')
      const { status, value } = await fetchObject(endpoint, {
        method: 'POST',
        headers: {
          authorization: basicCredentials(client),
          'content-type': 'application/x-www-form-urlencoded',
        },
        body: new URLSearchParams({
          grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
          subject_token: token,
          subject_token_type: 'urn:ietf:params:oauth:token-type:access_token',
          audience,
          ...(scopes.length > 0 ? { scope: scopes.join(' ') } : {}),
        }).toString(),
      }).catch((error) => {
        throw accessErrors.exchangeFailed(audience, String(error.message))
      })
      if (status !== 200 || typeof value?.access_token !== 'string')
        throw accessErrors.exchangeFailed(audience, `${status} ${value?.error ?? ''}`.trim())
      const seconds = typeof value.expires_in === 'number' ? value.expires_in : 60
      if (kept.size >= mostKept) kept.clear()
      kept.set(key, { token: value.access_token, until: Date.now() + seconds * 1000 - earlyMs })
      return value.access_token
    }
}
