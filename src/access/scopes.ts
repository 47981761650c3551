import { isObject } from '../protocol/messages.js'

/** A scope as the standard of OAuth allows it: visible ASCII without quotes and backslashes. */
const scopePattern = /^[\x21\x23-\x5b\x5d-\x7e]{1,200}$/
export const isScope = (text: unknown): text is string => typeof text === 'string' && scopePattern.test(text)

/** The scopes of a token: a text with spaces between them, or a list, under the names that issuers use. */
export function scopesIn(claims: unknown): string[] {
  if (!isObject(claims)) return []
  const { scope, scp } = claims
  const listed = [scope, scp].flatMap((value) =>
    typeof value === 'string' ? value.split(' ') : Array.isArray(value) ? value : [],
  )
  return [...new Set(listed.filter(isScope))].filter((name) => name !== '*')
}
