import type { Identity } from '../kit/call.js'
import { anyScope } from '../kit/scope.js'

/** The parts of a request that an access check receives. */
export interface AccessRequest {
  /** The bearer token of the Authorization header. */
  readonly token: string | undefined
  header(name: string): string | undefined
  /** Address of the peer of the connection; undefined if the runtime does not provide it. */
  readonly address: string | undefined
  /** The canonical URI of this server: the audience that its tokens are for. */
  readonly resource: string
}

/** The caller, or the reason for a refusal: the token is missing, is not valid, or cannot be checked now. */
export type Verdict =
  | { readonly identity: Identity; readonly expiresAtMs?: number }
  | { readonly refused: 'missing' | 'invalid' | 'unavailable'; readonly reason: string }

/** Decides who may call. Made by `issuerTokens`, `introspectedTokens`, `namedTokens`, `trustedProxy` and `anyOf`. */
export interface AccessCheck {
  /** Issuers of the tokens, for the metadata that clients read; empty if callers cannot sign in. */
  readonly authorizationServers: readonly string[]
  /** Scopes that every request requires of callers who sign in. */
  readonly scopes: readonly string[]
  /** The same for one caller, if it depends on the check that identified the caller. */
  scopesFor?(identity: Identity): readonly string[]
  identify(request: AccessRequest): Verdict | Promise<Verdict>
}

/** The scopes that an identity lacks. */
export const missingScopes = (identity: Identity, needed: readonly string[]): string[] =>
  identity.scopes.includes(anyScope) ? [] : needed.filter((scope) => !identity.scopes.includes(scope))

/**
 * Accepts every caller that one of several checks accepts, in order.
 *
 * @example anyOf(issuerTokens({ issuer: 'https://id.example' }), namedTokens('callers.tokens.jsonl'))
 */
export function anyOf(...checks: readonly AccessCheck[]): AccessCheck {
  // The requirements of a check apply to the callers that it identified.
  const knownBy = new WeakMap<Identity, AccessCheck>()
  const withSignIn = checks.filter(({ authorizationServers }) => authorizationServers.length > 0)
  return {
    authorizationServers: [...new Set(withSignIn.flatMap(({ authorizationServers }) => authorizationServers))],
    scopes: [...new Set(withSignIn.flatMap(({ scopes }) => scopes))],
    scopesFor: (identity) => {
      const check = knownBy.get(identity)
      return check?.scopesFor?.(identity) ?? check?.scopes ?? []
    },
    async identify(request) {
      let worst: Verdict = { refused: 'missing', reason: 'a bearer token is required' }
      for (const check of checks) {
        const verdict = await check.identify(request)
        if ('identity' in verdict) {
          knownBy.set(verdict.identity, check)
          return verdict
        }
        if (rank[verdict.refused] >= rank[worst.refused]) worst = verdict
      }
      return worst
    },
  }
}

const rank = { missing: 0, invalid: 1, unavailable: 2 } as const

/** Accepts one static token for all callers. */
export function staticToken(
  token: string,
): Omit<AccessCheck, 'identify'> & { identify(request: AccessRequest): Verdict } {
  const identity: Identity = Object.freeze({ subject: 'token', scopes: [anyScope], claims: {} })
  return {
    authorizationServers: [],
    scopes: [],
    identify: ({ token: given }) => {
      if (given === undefined)
        return {
          refused: 'missing',
          reason: 'A bearer token is required; send "Authorization: Bearer <JEXO_TOKEN>".',
        }
      if (isSame(given, token)) return { identity }
      return {
        refused: 'invalid',
        reason: 'The bearer token is wrong; send "Authorization: Bearer <JEXO_TOKEN>".',
      }
    },
  }
}

/** Compares in constant time. */
export function isSame(given: string, wanted: string): boolean {
  let difference = given.length ^ wanted.length
  for (let at = 0; at < given.length; at++)
    difference |= given.charCodeAt(at) ^ wanted.charCodeAt(at % wanted.length)
  return difference === 0
}
