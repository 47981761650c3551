import { isJexoError, listOf } from '../../errors.js'
import { canonicalUri } from '../canonical-uri.js'
import { accessErrors } from '../errors.js'
import { type Discovered, discover } from './discover.js'
import { grantOf, isFresh, knownClient, requestOptions } from './grant.js'
import { type SignInRule, signInRules } from './rules.js'
import type { Challenge, SignIn } from './sign-in.js'
import { type OnSignInStep, type SignInStage, SignInTrace } from './steps.js'
import { type KeptSignIn, memoryStore, type SignInStore } from './store.js'

/** Options that all interactive sign-ins share. */
export interface PersonSignInOptions {
  /** Client id of this program; without one, it registers itself if that is possible. */
  clientId?: string
  clientSecret?: string
  /** URL of a client id metadata document, for authorization servers that support it. */
  clientMetadataUrl?: string
  /** Name of this program at the authorization server. */
  clientName?: string
  /** Scopes to request. Default: those that the server requires. */
  scopes?: readonly string[]
  /** Storage of tokens. Default: memory. */
  store?: SignInStore
  /** Time limit for the user, in milliseconds. Default: 300,000. */
  limitMs?: number
  signal?: AbortSignal
  /** Called after each step of a sign-in. */
  onStep?: OnSignInStep
}

/** An interactive sign-in in progress. */
export interface PersonAttempt extends Discovered {
  endpoint: URL
  /** All scopes to request. */
  scopes: readonly string[]
  /** The stored sign-in. */
  now: KeptSignIn | undefined
  trace: SignInTrace
  /** Aborted when no caller waits for it any more. */
  signal: AbortSignal | undefined
}

/** Asks the user; undefined if the session is not interactive. */
export type AskPerson = (attempt: PersonAttempt) => Promise<KeptSignIn>

/** Stores, refreshes and replaces the tokens of a user, who signs in with `ask`. */
export function personSignIn(ask: AskPerson | undefined, options: PersonSignInOptions): SignIn {
  const { store = memoryStore(), onStep } = options
  const trace = new SignInTrace(onStep)
  const renew: SignIn['renew'] = async (endpoint, challenge, refused, cancelled) => {
    const signals = [options.signal, cancelled].filter((signal) => signal !== undefined)
    const signal = signals.length > 0 ? AbortSignal.any(signals) : undefined
    const resource = canonicalUri(endpoint.href)
    const made = await store.update(resource, async (now) => {
      // Another process has refreshed it in the meantime.
      if (now && now.accessToken !== refused && hasScopes(now, challenge)) return now
      const isStepUp = challenge.error === 'insufficient_scope'
      if (!ask && (isStepUp || now?.refreshToken === undefined)) throw neededFor(endpoint, challenge, now)
      const discovered = await discover(endpoint, challenge, trace)
      const refreshed = challenge.error === 'insufficient_scope' ? undefined : await refresh(discovered, now, trace)
      if (refreshed) return refreshed
      if (!ask) throw accessErrors.signInNeeded(endpoint.href)
      const scopes = scopesFor(challenge, discovered, now, options)
      const attempt = { ...discovered, endpoint, scopes, now, trace, signal }
      // Stored by the requested URL, even if the tokens are for the whole host.
      const made = await ask(attempt).catch((error) => {
        trace.failed(isJexoError(error) ? (error.data.stage as SignInStage) : 'authorization', error)
        throw error
      })
      const kept = { ...made, resource }
      if (!hasScopes(kept, challenge)) throw notGranted(attempt, challenge, kept)
      return kept
    })
    return made?.accessToken ?? ''
  }
  return {
    token: async (endpoint) => {
      const resource = canonicalUri(endpoint.href)
      const known = await store.read(resource)
      if (!known || isFresh(known)) return known?.accessToken
      if (known.refreshToken === undefined) return undefined
      const after = await store.update(resource, async (now) => {
        if (!now || isFresh(now)) return now
        // If the refresh fails, the server refuses the old token, and a new sign-in follows.
        return (await refresh(await discover(endpoint, {}, trace).catch(() => undefined), now, trace)) ?? now
      })
      return after?.accessToken
    },
    renew,
    ...(onStep ? { onStep } : {}),
  }
}

const scopesIn = ({ scope = '' }: Challenge) => scope.split(' ').filter(Boolean)

const hasScopes = (now: KeptSignIn, challenge: Challenge): boolean =>
  challenge.error !== 'insufficient_scope' || scopesIn(challenge).every((scope) => now.scopes.includes(scope))

/** Asking again would only show the user the same page again. */
function notGranted(attempt: PersonAttempt, challenge: Challenge, { scopes }: KeptSignIn) {
  const missing = scopesIn(challenge).filter((scope) => !scopes.includes(scope))
  const reason = `the authorization server did not grant ${listOf(missing)}`
  const error = signInFailed(attempt, 'token', reason, signInRules.granted)
  attempt.trace.failed('token', error)
  return error
}

const neededFor = (endpoint: URL, challenge: Challenge, now: KeptSignIn | undefined) =>
  challenge.error === 'insufficient_scope'
    ? accessErrors.signInNeeded(endpoint.href, [...new Set([...(now?.scopes ?? []), ...scopesIn(challenge)])])
    : challenge.metadataUrl === undefined
      ? accessErrors.tokenNeeded(endpoint.href)
      : accessErrors.signInNeeded(endpoint.href)

function scopesFor(
  challenge: Challenge,
  { scopesSupported }: Discovered,
  now: KeptSignIn | undefined,
  { scopes: own = [] }: PersonSignInOptions,
): readonly string[] {
  const asked = challenge.scope?.split(' ') ?? (own.length > 0 ? own : (scopesSupported ?? []))
  // Additional scopes are requested together with the existing ones.
  const before = challenge.error === 'insufficient_scope' ? (now?.scopes ?? []) : []
  return [...new Set([...own, ...before, ...asked])].filter(Boolean)
}

/** Undefined if there is no refresh token, or the authorization server refuses it. */
async function refresh(
  discovered: Discovered | undefined,
  now: KeptSignIn | undefined,
  trace: SignInTrace,
): Promise<KeptSignIn | undefined> {
  if (!discovered || now?.refreshToken === undefined || now.issuer !== discovered.server.issuer) return undefined
  const { server, resource } = discovered
  const { refreshToken } = now
  const oauth = await import('oauth4webapi')
  const { client, auth } = knownClient(oauth, now)
  const refreshed = async (send: Parameters<typeof requestOptions>[0]) => {
    const response = await oauth.refreshTokenGrantRequest(server, client, auth, refreshToken, {
      ...requestOptions(send),
      additionalParameters: { resource },
    })
    return grantOf(await oauth.processRefreshTokenResponse(server, client, response), now.scopes, now)
  }
  try {
    const grant = await trace.step('refresh', refreshed, () => 'the token was refreshed')
    return { ...now, ...grant }
  } catch {
    return undefined
  }
}

/** The error of a failed step, with the rule that was violated. */
export const signInFailed = (
  { endpoint }: PersonAttempt,
  stage: Parameters<typeof accessErrors.signInFailed>[1],
  reason: string,
  rule: SignInRule,
) => accessErrors.signInFailed(endpoint.href, stage, reason, rule)
