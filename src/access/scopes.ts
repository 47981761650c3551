import { anyScope, isScope } from '../kit/scope.js'
import { isObject } from '../protocol/messages.js'

/** The scopes of a token: a text separated by spaces, or a list, in the claims that issuers use. */
export function scopesIn(claims: unknown): string[] {
  if (!isObject(claims)) return []
  const { scope, scp } = claims
  const listed = [scope, scp].flatMap((value) =>
    typeof value === 'string' ? value.split(' ') : Array.isArray(value) ? value : [],
  )
  return [...new Set(listed.filter(isScope))].filter((name) => name !== anyScope)
}
