import { oneLine } from '../../escape/one-line.js'
import type { Grant } from './grant.js'
import { type SignInRule, signInRules } from './rules.js'

/** The error of the authorization server, or the reason why it did not respond. */
export function reasonOf(error: unknown): string {
  if (!(error instanceof Error)) return String(error)
  const { error: code, error_description: description } = error as { error?: unknown; error_description?: unknown }
  if (typeof code === 'string')
    return oneLine(typeof description === 'string' ? `${code}: ${description}` : code).slice(0, 300)
  const { cause } = error
  if (cause instanceof Response) return `${error.message}; it answered with HTTP ${cause.status}`
  return cause instanceof Error ? `${error.message}: ${cause.message}` : error.message
}

/** The rule that an error of the token endpoint or of the authorization response points to. */
export function ruleOf(error: unknown): SignInRule {
  const { error: code, message = '' } = (error ?? {}) as { error?: unknown; message?: string }
  if (code === 'invalid_client' || code === 'unauthorized_client') return signInRules.client
  if (code === 'access_denied') return signInRules.denied
  if (code === 'expired_token') return signInRules.late
  if (/"state"/.test(message)) return signInRules.state
  if (/"iss"/.test(message)) return signInRules.iss
  return signInRules.token
}

export const tokenDetail = ({ scopes }: Grant): string =>
  `received a token with ${scopes.length > 0 ? `the scopes ${scopes.join(', ')}` : 'no scopes'}`
