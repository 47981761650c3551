import { isObject } from '../protocol/messages.js'
import type { TapeEvent } from './entry.js'

const hidden = '••••'
const secretKey =
  /^(password|passphrase|passwd|secret|token|authorization|credentials?|apikey|accesskey|accesstoken|refreshtoken|idtoken|clientsecret|privatekey|sessionkey|bearer)$/
const secretHeader = /authorization|cookie|token|secret|password|credential|api-?key|-key$/i
const inText: readonly [RegExp, string][] = [
  [/\b(Bearer|Basic)\s+[A-Za-z0-9._~+/=-]{6,}/g, `$1 ${hidden}`],
  [/([?&](?:[\w-]*(?:token|secret|password|api_?key|apikey)|key|auth)=)[^&\s"'#]+/gi, `$1${hidden}`],
  [/(\w+:\/\/[^\s/:@"]*:)[^\s/@"]+@/g, `$1${hidden}@`],
]

/**
 * Masks what must not get into a file that is shared: known secrets wherever they stand, fields and headers that are called
 * like secrets, credentials in URLs. Gives a function from event to event; what has nothing to hide comes back as it is.
 */
export function maskForTape(secrets: readonly string[] = []): (event: TapeEvent) => TapeEvent {
  // Short ones would hide ordinary words.
  const known = [...new Set(secrets)].filter((secret) => secret.length >= 6).sort((a, b) => b.length - a.length)
  const forms = known.flatMap((secret) => [...new Set([secret, encodeURIComponent(secret)])])
  const text = (given: string): string => {
    // What is this long is content: only secrets that are known are looked for.
    const plain =
      given.length > 100_000 ? given : inText.reduce((so, [wanted, by]) => so.replace(wanted, by), given)
    return forms.reduce((so, form) => so.replaceAll(form, hidden), plain)
  }
  const value = (given: unknown): unknown => {
    if (typeof given === 'string') return text(given)
    if (Array.isArray(given)) return given.map(value)
    if (!isObject(given)) return given
    return Object.fromEntries(
      Object.entries(given).map(([key, item]) => [
        text(key),
        typeof item === 'string' && isSecretKey(key) ? hidden : value(item),
      ]),
    )
  }
  return (event) => ({ ...(value(withMaskedHeaders(event)) as TapeEvent) })
}

/** Headers as they may be shown: of a session's id enough to tell one from another, of credentials nothing. */
export function maskedHeaders(headers: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).map(([name, value]) => {
      if (/^mcp-session-id$/i.test(name)) return [name, value.length > 12 ? `${value.slice(0, 6)}${hidden}` : value]
      return [name, secretHeader.test(name) ? value.replace(/^((?:Bearer|Basic) )?.*$/is, `$1${hidden}`) : value]
    }),
  )
}

/** Values of variables that are called like secrets: what a child is given may come back in what it says. */
export function secretsIn(environment: Readonly<Record<string, string | undefined>>): string[] {
  return Object.entries(environment).flatMap(([name, value]) =>
    value && /TOKEN|SECRET|PASSWORD|PASSWD|CREDENTIAL|(^|_)KEY$|API_?KEY/.test(name) ? [value] : [],
  )
}

/** Values of headers that are called like secrets, without the scheme in front. */
export function secretsOfHeaders(headers: Readonly<Record<string, string>>): string[] {
  return Object.entries(headers).flatMap(([name, value]) =>
    secretHeader.test(name) ? [value.replace(/^(Bearer|Basic)\s+/i, '')] : [],
  )
}

const isSecretKey = (key: string) => secretKey.test(key.replace(/[-_]/g, '').toLowerCase())

function withMaskedHeaders(event: TapeEvent): TapeEvent {
  if (event.kind !== 'http') return event
  const { requestHeaders, responseHeaders } = event
  return {
    ...event,
    requestHeaders: maskedHeaders(requestHeaders),
    ...(responseHeaders ? { responseHeaders: maskedHeaders(responseHeaders) } : {}),
  }
}
