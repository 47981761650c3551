import { uriComponent } from '../escape/uri.js'
import { isObject } from '../protocol/messages.js'
import { hidden, isSecretName, maskedHeaders, maskSecrets } from '../protocol/secrets.js'
import type { TapeEvent } from './entry.js'

/**
 * Masks what must not get into a file that is shared: known secrets wherever they stand, fields and headers that are called
 * like secrets, credentials in URLs. Returns a function from event to event; what has nothing to hide comes back as it is.
 */
export function maskForTape(secrets: readonly string[] = []): (event: TapeEvent) => TapeEvent {
  // Short ones would hide ordinary words.
  const known = [...new Set(secrets)].filter((secret) => secret.length >= 6).sort((a, b) => b.length - a.length)
  const forms = known.flatMap((secret) => [...new Set([secret, uriComponent(secret)])])
  const text = (given: string): string => {
    // A text this long is content: only secrets that are known are looked for.
    const plain = given.length > 2_000_000 ? given : maskSecrets(given)
    return forms.reduce((so, form) => so.replaceAll(form, hidden), plain)
  }
  const value = (given: unknown): unknown => {
    if (typeof given === 'string') return text(given)
    if (Array.isArray(given)) return given.map(value)
    if (!isObject(given)) return given
    return Object.fromEntries(
      Object.entries(given).map(([key, item]) => [
        text(key),
        typeof item === 'string' && isSecretName(key) ? hidden : value(item),
      ]),
    )
  }
  return (event) => ({ ...(value(withMaskedHeaders(event)) as TapeEvent) })
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
