/** Replacement of a masked secret. */
export const hidden = '••••'

const secretWords = new Set(
  (
    'token secret password passwd pwd passphrase passcode signature sig credential credentials authorization auth apikey appid appkey jwt ' +
    'bearer cookie otp accesskey accesstoken refreshtoken idtoken clientsecret privatekey secretkey sessionkey sessionid sessid sid csrf xsrf ' +
    'key apitoken authtoken authkey userpass'
  ).split(' '),
)
/** A `…_key` with one of these words is a secret; `key` alone names a column or an order. */
const keysOf = new Set(
  'api access auth app secret private session client functions function subscription license master account signing encryption ssh hmac consumer service shared storage host admin x'.split(
    ' ',
  ),
)
/** Tokens that mark a position in a list, and ids of things other than sessions. */
const placesOf = new Set(
  'page next previous prev continuation sync cursor pagination start resume delta progress'.split(' '),
)

/**
 * True if a header, parameter, field or variable with this name holds a secret. Reads `X-Api-Key`, `apiKey` and `API_KEY` alike.
 *
 * @example isSecretName('X-Api-Key') // true
 */
export function isSecretName(name: string): boolean {
  const words = name
    .slice(0, 200)
    .replace(/([a-z\d])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z\d]+/)
    .filter(Boolean)
  const last = words.at(-1) ?? ''
  const before = words.at(-2) ?? ''
  if (last === 'key') return words.length === 1 || keysOf.has(before)
  if (last === 'id') return before === 'session' || before === 'app'
  if (last === 'token') return !placesOf.has(before)
  return secretWords.has(last)
}

const shapes: readonly (readonly [kind: string, shape: RegExp])[] = [
  ['a private key', /-----BEGIN [A-Z ]{0,30}PRIVATE KEY-----/],
  ['a signed token', /\beyJ[\w-]{8,}\.[\w-]{8,}\.[\w-]{0,4000}/],
  ['an access key', /\b(?:AKIA|ASIA)[A-Z0-9]{16}\b/],
  ['an API key', /\b(?:sk|pk|rk|ghp|gho|ghs|ghu|glpat|xox[abeprs]|shpat|npm|key|tok|pat)[-_][\w-]{8,}/],
]

/** True for a text with the form of a token: a well-known prefix, or long and random. */
export function isSecretValue(text: string): boolean {
  if (text.length < 8 || text.length > 8000 || /\s/.test(text)) return false
  if (shapes.some(([, shape]) => shape.exec(text)?.index === 0)) return true
  if (/^[\da-f]{8}(?:-[\da-f]{4}){3}-[\da-f]{12}$/i.test(text)) return false
  if (/^[\da-f]{32,}$/i.test(text)) return true
  if (!/^[\w+/=.~-]{20,}$/.test(text)) return false
  const kinds = [/[a-z]/, /[A-Z]/, /\d/].filter((kind) => kind.test(text)).length
  if (text.length >= 24 && kinds === 3 && entropyOf(text) > 3.5) return true
  // In random text, letters and digits alternate often; in words with a number they do not.
  const changes = text.match(/[a-z](?=\d)|\d(?=[a-z])/gi)?.length ?? 0
  return changes >= text.length / 6 && entropyOf(text) > 3
}

/** Entropy in bits per character. */
function entropyOf(text: string): number {
  const counts = new Map<string, number>()
  for (const char of text) counts.set(char, (counts.get(char) ?? 0) + 1)
  return [...counts.values()].reduce(
    (sum, count) => sum - (count / text.length) * Math.log2(count / text.length),
    0,
  )
}

const urlPassword = /:\/\/[^\s/:@"]{0,200}:([^\s/@"]{1,200})@/
const assigned = /\b([A-Za-z][\w-]{1,60})\s{0,4}[=:]\s{0,4}["']?([\w!#$%&*+./-]{10,200})/g

/** The kind of secret that a text appears to contain, as text; undefined if none. */
export function secretKindIn(text: string): string | undefined {
  const shape = shapes.find(([, pattern]) => pattern.test(text))
  if (shape && (shape[0] !== 'an API key' || /[-_][\w-]{16,}/.test(text))) return shape[0]
  if (urlPassword.test(text)) return 'a password in a URL'
  for (const [, name = '', value = ''] of text.matchAll(assigned))
    if (isSecretName(name) && /\d/.test(value)) return 'a password'
  return undefined
}

// Each repetition is bounded, so that the time is linear in the text.
const inText: readonly (readonly [RegExp, (...found: string[]) => string])[] = [
  [/\b(Bearer|Basic)\s{1,8}[A-Za-z0-9._~+/=-]{6,8000}/gi, (_whole, scheme) => `${scheme} ${hidden}`],
  [
    /([?&;])([\w.[\]%-]{1,100})=([^&\s"'#;]{1,8000})/g,
    (whole, mark, name) => (isSecretName(String(name)) ? `${mark}${name}=${hidden}` : whole) as string,
  ],
  [
    /("[\w.-]{1,64}")(\s{0,4}:\s{0,4})"(?:[^"\\]|\\.){1,8000}"/g,
    (whole, name, colon) =>
      (isSecretName(String(name).slice(1, -1)) ? `${name}${colon}"${hidden}"` : whole) as string,
  ],
  [/(:\/\/[^\s/:@"]{0,200}:)[^\s/@"]{1,200}@/g, (_whole, start) => `${start}${hidden}@`],
]

/** Each of the patterns above needs one of these. Most texts contain none. */
const suspicious = /["=@]|bearer|basic/i

/** Hides credentials in a text: after `Bearer`, in URLs, in queries and in JSON. Linear in the length of the text. */
export const maskSecrets = (text: string): string =>
  suspicious.test(text)
    ? inText.reduce((so, [wanted, by]) => so.replace(wanted, by as (whole: string) => string), text)
    : text

/** True for a header that carries a credential. */
export const isSecretHeader = (name: string): boolean =>
  isSecretName(name) || /^(?:set-cookie|cookie2?)$|-key$/i.test(name)

/** Headers for display: session ids are shortened, and credentials hidden. */
export function maskedHeaders(headers: Readonly<Record<string, string>>): Record<string, string> {
  return Object.fromEntries(
    Object.entries(headers).map(([name, value]) => {
      if (/^mcp-session-id$/i.test(name)) return [name, value.length > 12 ? `${value.slice(0, 6)}${hidden}` : value]
      return [name, isSecretHeader(name) ? value.replace(/^((?:Bearer|Basic) )?[\s\S]*$/i, `$1${hidden}`) : value]
    }),
  )
}

/** Values of variables whose names say that they are secrets, since a child process may print them. */
export const secretsIn = (environment: Readonly<Record<string, string | undefined>>): string[] =>
  Object.entries(environment).flatMap(([name, value]) =>
    // A path of a shell is not a password.
    value && isSecretName(name) && !/^(?:OLD)?PWD$/.test(name) ? [value] : [],
  )

/** Values of headers whose names say that they are secrets, without the scheme before them. */
export const secretsOfHeaders = (headers: Readonly<Record<string, string>>): string[] =>
  Object.entries(headers).flatMap(([name, value]) =>
    isSecretHeader(name) ? [value.replace(/^(?:Bearer|Basic)\s+/i, '')] : [],
  )
