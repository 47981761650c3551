import { createRemoteJWKSet, customFetch, errors, type JWTPayload, jwtVerify } from 'jose'
import type { Identity } from '../kit/call.js'
import type { AccessCheck, AccessRequest, Verdict } from './check.js'
import { accessErrors } from './errors.js'
import { type ExchangeClient, exchanger } from './exchange.js'
import { fetchBounded, fetchIssuer, fetchLimits, isSafeUrl } from './issuer-metadata.js'
import { KeptVerdicts } from './kept-verdicts.js'
import { scopesIn } from './scopes.js'

export interface IssuerTokensOptions {
  /** The authorization server's issuer identifier: https, or http on this machine. */
  issuer: string
  /** Audience of the tokens. Default: the URL of this server. */
  audience?: string | readonly string[]
  /** Scopes that every request requires. */
  scopes?: readonly string[]
  /** Signature algorithms that are accepted; asymmetric ones by default. */
  algorithms?: readonly string[]
  /** Maximum difference of clocks, in milliseconds. Default: 30,000. */
  clockToleranceMs?: number
  /** This server's credentials at the authorization server, for `call.identity.exchange`. */
  client?: ExchangeClient
}

const asymmetric = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
  'Ed25519',
]
/** Callers cannot make this server request keys more often. */
const refetchMs = 60_000
/** Maximum age of keys, so that withdrawn keys are noticed. */
const renewMs = 600_000
/** After a failed discovery, requests try again only after this time. */
const retryMs = 5000
const maxTokenCharacters = 16_384

/**
 * Accepts signed tokens of an authorization server (RFC 9068): signature, issuer, audience and times are checked. Its metadata and keys are fetched at the first request and cached. While the authorization server is unreachable, requests are answered with 503 and the fetch is repeated.
 * Throws a `JexoError` if the issuer is not an https URL.
 *
 * @example serveHttp(kit, { publicUrl: 'https://hives.example/mcp', access: issuerTokens({ issuer: 'https://id.example' }) })
 */
export function issuerTokens(options: IssuerTokensOptions): AccessCheck {
  const { issuer, scopes = [], clockToleranceMs = 30_000 } = options
  if (!isSafeUrl(issuer)) throw accessErrors.issuerUnsafe(issuer)
  const algorithms = [...(options.algorithms ?? asymmetric)]
  const unsafe = algorithms.find((name) => !asymmetric.includes(name))
  if (unsafe !== undefined) throw accessErrors.algorithmUnsafe(unsafe, asymmetric)
  const keys = new IssuerKeys(issuer)
  const kept = new KeptVerdicts()
  const exchange = options.client ? exchanger(() => keys.metadata(), options.client) : undefined

  const verified = async (token: string, resource: string): Promise<Verdict> => {
    const found = await keys.find()
    if ('reason' in found) return { refused: 'unavailable', reason: found.reason }
    try {
      const { payload } = await keys.withRefetch(() =>
        jwtVerify(token, found.keys, {
          issuer,
          audience: options.audience === undefined ? resource : [options.audience].flat(),
          algorithms,
          clockTolerance: clockToleranceMs / 1000,
          requiredClaims: ['exp'],
        }),
      )
      const expiresAtMs = Number(payload.exp) * 1000 + clockToleranceMs
      // To the millisecond, since streams end at that time.
      if (expiresAtMs <= Date.now()) return { refused: 'invalid', reason: 'the token has expired' }
      const identity = identityOf(payload, issuer)
      if (identity.subject === '') return { refused: 'invalid', reason: 'the token has no subject' }
      const whole = exchange ? { ...identity, exchange: exchange(token, identity) } : identity
      return { identity: Object.freeze(whole), expiresAtMs }
    } catch (error) {
      return refusalOf(error)
    }
  }

  return {
    authorizationServers: [issuer],
    scopes,
    identify: ({ token, resource }: AccessRequest) => {
      if (token === undefined) return { refused: 'missing', reason: 'a bearer token is required' }
      if (token.length > maxTokenCharacters) return { refused: 'invalid', reason: 'the token is too long' }
      const known = kept.find(token, resource)
      if (known) return known
      return verified(token, resource).then((verdict) =>
        'identity' in verdict ? kept.keep(token, resource, verdict) : verdict,
      )
    },
  }
}

type Found = { keys: ReturnType<typeof createRemoteJWKSet> } | { reason: string }

/** The keys of an issuer, cached for times when the issuer is unreachable. */
class IssuerKeys {
  readonly #issuer: string
  #metadata: Promise<Record<string, unknown>> | undefined
  #keys: ReturnType<typeof createRemoteJWKSet> | undefined
  #fetching: Promise<Found> | undefined
  #failedAt = 0
  #failure = ''
  #renewedAt = 0
  #refetchedAt = Number.NEGATIVE_INFINITY
  #refetching: Promise<boolean> | undefined

  constructor(issuer: string) {
    this.#issuer = issuer
  }

  /** Rejects while the issuer cannot be reached. */
  metadata(): Promise<Record<string, unknown>> {
    this.#metadata ??= fetchIssuer(this.#issuer).catch((error) => {
      this.#metadata = undefined
      throw error
    })
    return this.#metadata
  }

  async find(): Promise<Found> {
    if (this.#keys) {
      this.#renew(this.#keys)
      return { keys: this.#keys }
    }
    if (Date.now() - this.#failedAt < retryMs) return { reason: this.#failure }
    // Concurrent requests share one fetch.
    this.#fetching ??= this.#fetch().finally(() => {
      this.#fetching = undefined
    })
    return this.#fetching
  }

  async #fetch(): Promise<Found> {
    try {
      const { jwks_uri: uri } = await this.metadata()
      if (!isSafeUrl(uri)) throw new Error(`its jwks_uri is ${JSON.stringify(uri)}, not an https URL`)
      const keys = createRemoteJWKSet(new URL(uri), {
        cooldownDuration: Number.POSITIVE_INFINITY,
        cacheMaxAge: Number.POSITIVE_INFINITY,
        timeoutDuration: fetchLimits.timeoutMs,
        [customFetch]: (url, init) => fetchBounded(url, init),
      })
      await keys.reload()
      this.#renewedAt = Date.now()
      this.#keys = keys
      return { keys }
    } catch (error) {
      this.#metadata = undefined
      this.#failedAt = Date.now()
      this.#failure = `the authorization server ${this.#issuer} cannot be reached (${error instanceof Error ? error.message : error})`
      return { reason: this.#failure }
    }
  }

  /** Verifies a token; if its key is unknown, fetches the keys and verifies it again. Unknown keys cause at most one fetch a minute. */
  async withRefetch<T>(verify: () => Promise<T>): Promise<T> {
    try {
      return await verify()
    } catch (error) {
      if (!(error instanceof errors.JWKSNoMatchingKey) || !(await this.#refetched())) throw error
      return verify()
    }
  }

  #refetched(): Promise<boolean> | boolean {
    if (Date.now() - this.#refetchedAt < refetchMs) return this.#refetching ?? false
    this.#refetchedAt = Date.now()
    const fetched = this.#keys?.reload().then(
      () => true,
      () => false,
    )
    this.#refetching = fetched?.finally(() => {
      this.#refetching = undefined
    })
    return this.#refetching ?? false
  }

  /** Runs in the background; if it fails, the cached keys stay in use. */
  #renew(keys: ReturnType<typeof createRemoteJWKSet>): void {
    if (Date.now() - this.#renewedAt < renewMs) return
    this.#renewedAt = Date.now()
    keys.reload().catch(() => {})
  }
}

function identityOf(payload: JWTPayload, issuer: string): Identity {
  const { client_id: client, azp } = payload
  const clientId = typeof client === 'string' ? client : typeof azp === 'string' ? azp : undefined
  return {
    subject: payload.sub ?? clientId ?? '',
    issuer,
    ...(clientId === undefined ? {} : { clientId }),
    scopes: scopesIn(payload),
    claims: payload,
  }
}

function refusalOf(error: unknown): Verdict {
  if (error instanceof errors.JWTExpired) return { refused: 'invalid', reason: 'the token has expired' }
  if (error instanceof errors.JWTClaimValidationFailed)
    return { refused: 'invalid', reason: claimReasons[error.claim] ?? `the claim "${error.claim}" is not valid` }
  if (error instanceof errors.JWKSNoMatchingKey || error instanceof errors.JWKSMultipleMatchingKeys)
    return {
      refused: 'invalid',
      reason: 'the token is signed with a key that the authorization server does not have',
    }
  if (
    error instanceof errors.JWKSTimeout ||
    (error instanceof errors.JOSEError && error.code === 'ERR_JOSE_GENERIC')
  )
    return { refused: 'unavailable', reason: 'the keys of the authorization server cannot be fetched' }
  if (error instanceof errors.JOSEAlgNotAllowed)
    return { refused: 'invalid', reason: 'the token is signed with an algorithm that is not accepted' }
  if (error instanceof errors.JOSEError)
    return { refused: 'invalid', reason: 'the token is not a valid signed token' }
  return { refused: 'invalid', reason: 'the token cannot be read' }
}

const claimReasons: Readonly<Record<string, string>> = {
  aud: 'the token is for another server',
  iss: 'the token was issued by another authorization server',
  nbf: 'the token is not valid yet',
  exp: 'the token has no expiry time',
}
