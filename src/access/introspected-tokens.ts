import type { Identity } from '../kit/call.js'
import type { JsonObject } from '../protocol/messages.js'
import type { AccessCheck, Verdict } from './check.js'
import { accessErrors } from './errors.js'
import { basicCredentials, type ExchangeClient } from './exchange.js'
import { fetchIssuer, fetchObject, isSafeUrl } from './issuer-metadata.js'
import { KeptVerdicts } from './kept-verdicts.js'
import { scopesIn } from './scopes.js'

export interface IntrospectedTokensOptions {
  /** The authorization server; its metadata contains the endpoint. */
  issuer: string
  /** The introspection endpoint, if the metadata does not contain it. */
  endpoint?: string
  /** This server's credentials at the authorization server. */
  client: ExchangeClient
  /** Audience of the tokens. Default: the URL of this server. */
  audience?: string | readonly string[]
  /** Scopes that every request requires. */
  scopes?: readonly string[]
  /** How long a response is cached, in milliseconds. Default: 10,000. */
  keepMs?: number
}

/**
 * Accepts opaque tokens that an authorization server declares active (RFC 7662) and that are for this server. Responses are cached briefly, and never longer than the token is valid. Throws a `JexoError` if the issuer or the endpoint is not an https URL.
 */
export function introspectedTokens(options: IntrospectedTokensOptions): AccessCheck {
  const { issuer, client, scopes = [], keepMs = 10_000 } = options
  for (const url of [issuer, options.endpoint])
    if (url !== undefined && !isSafeUrl(url)) throw accessErrors.issuerUnsafe(url)
  const kept = new KeptVerdicts({ keepMs })
  let endpoint = options.endpoint
  const endpointNow = async (): Promise<string> => {
    if (endpoint !== undefined) return endpoint
    const { introspection_endpoint: found } = await fetchIssuer(issuer)
    if (!isSafeUrl(found)) throw new Error('its metadata has no introspection endpoint')
    endpoint = found
    return found
  }
  const asked = async (token: string, resource: string): Promise<Verdict> => {
    try {
      const { status, value } = await fetchObject(await endpointNow(), {
        method: 'POST',
        headers: { authorization: basicCredentials(client), 'content-type': 'application/x-www-form-urlencoded' },
        body: new URLSearchParams({ token, token_type_hint: 'access_token' }).toString(),
      })
      if (status !== 200 || !value) throw new Error(`the introspection endpoint answered ${status}`)
      return verdictOf(value, issuer, options.audience === undefined ? [resource] : [options.audience].flat())
    } catch (error) {
      const reason = error instanceof Error ? error.message : String(error)
      return { refused: 'unavailable', reason: `the authorization server ${issuer} cannot be reached (${reason})` }
    }
  }
  return {
    authorizationServers: [issuer],
    scopes,
    identify: ({ token, resource }) => {
      if (token === undefined) return { refused: 'missing', reason: 'a bearer token is required' }
      const known = kept.find(token, resource)
      if (known) return known
      return asked(token, resource).then((verdict) =>
        'identity' in verdict ? kept.keep(token, resource, verdict) : verdict,
      )
    },
  }
}

function verdictOf(value: JsonObject, issuer: string, audiences: readonly string[]): Verdict {
  const { active, aud, exp, nbf, sub, client_id: client, username } = value
  if (active !== true) return { refused: 'invalid', reason: 'the token is not active' }
  if (value.iss !== undefined && value.iss !== issuer)
    return { refused: 'invalid', reason: 'the token was issued by another authorization server' }
  const given = (Array.isArray(aud) ? aud : [aud]).filter((one) => typeof one === 'string')
  if (!given.some((one) => audiences.includes(one)))
    return { refused: 'invalid', reason: 'the token is for another server' }
  if (typeof exp === 'number' && exp * 1000 <= Date.now())
    return { refused: 'invalid', reason: 'the token has expired' }
  if (typeof nbf === 'number' && nbf * 1000 > Date.now() + 30_000)
    return { refused: 'invalid', reason: 'the token is not valid yet' }
  const clientId = typeof client === 'string' ? client : undefined
  const subject = [sub, username, clientId].find((one) => typeof one === 'string')
  if (typeof subject !== 'string' || subject === '')
    return { refused: 'invalid', reason: 'the token has no subject' }
  const identity: Identity = {
    subject,
    issuer,
    ...(clientId === undefined ? {} : { clientId }),
    scopes: scopesIn(value),
    claims: value,
  }
  return { identity: Object.freeze(identity), ...(typeof exp === 'number' ? { expiresAtMs: exp * 1000 } : {}) }
}
