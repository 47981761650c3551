import { uriComponent } from '../escape/uri.js'
import { isObject } from '../protocol/messages.js'
import { hidden, isSecretName, maskedHeaders, maskSecrets } from '../protocol/secrets.js'
import type { TapeEvent } from './entry.js'

/** Maximum number of cached field names. */
const mostNames = 1000

/**
 * Masks values that must not be in a shared file: known secrets in any place, fields and headers whose names say that
 * they are secrets, and credentials in URLs. Returns a function that maps events; events without secrets are returned
 * unchanged.
 */
export function maskForTape(secrets: readonly string[] = []): (event: TapeEvent) => TapeEvent {
  // Short values are not masked, since that would hide ordinary words.
  const known = [...new Set(secrets)].filter((secret) => secret.length >= 6).sort((a, b) => b.length - a.length)
  const forms = known.flatMap((secret) => [...new Set([secret, uriComponent(secret)])])
  const text = (given: string): string => {
    // Texts of this length are content: only known secrets are searched in them.
    const plain = given.length > 2_000_000 ? given : maskSecrets(given)
    return forms.reduce((so, form) => so.replaceAll(form, hidden), plain)
  }
  const names = new Map<string, { shown: string; isSecret: boolean }>()
  const nameOf = (key: string) => {
    const known = names.get(key)
    if (known) return known
    // A peer chooses the names, so only some are kept.
    if (names.size >= mostNames) names.clear()
    const made = { shown: text(key), isSecret: isSecretName(key) }
    names.set(key, made)
    return made
  }
  /** A masked copy; the value itself if nothing in it is masked. */
  const value = (given: unknown): unknown => {
    if (typeof given === 'string') return text(given)
    if (Array.isArray(given)) {
      const items = given.map(value)
      return items.some((item, at) => item !== given[at]) ? items : given
    }
    if (!isObject(given)) return given
    let isMasked = false
    const entries = Object.entries(given).map(([key, item]) => {
      const { shown, isSecret } = nameOf(key)
      const masked = typeof item === 'string' && isSecret ? hidden : value(item)
      isMasked ||= shown !== key || masked !== item
      return [shown, masked] as const
    })
    return isMasked ? Object.fromEntries(entries) : given
  }
  return (event) => value(withMaskedHeaders(event)) as TapeEvent
}

function withMaskedHeaders(event: TapeEvent): TapeEvent {
  if (event.kind !== 'http') return event
  const { requestHeaders, responseHeaders } = event
  return {
    ...event,
    requestHeaders: maskedHeaders(requestHeaders),
    ...(responseHeaders ? { responseHeaders: maskedHeaders(responseHeaders) } : {}),
  }
}
