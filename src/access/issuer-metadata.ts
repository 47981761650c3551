import { isObject, type JsonObject } from '../protocol/messages.js'

/** Possible URLs of an issuer's metadata, in the order of the search (RFC 8414, OpenID Connect Discovery). */
export function metadataUrls(issuer: string): string[] {
  const { origin, pathname } = new URL(issuer)
  const path = pathname.replace(/\/$/, '')
  const names = ['oauth-authorization-server', 'openid-configuration']
  const inserted = names.map((name) => `${origin}/.well-known/${name}${path}`)
  return path === '' ? inserted : [...inserted, `${origin}${path}/.well-known/openid-configuration`]
}

/** True for https, and for http on this machine. */
export function isSafeUrl(text: unknown): text is string {
  if (typeof text !== 'string' || !URL.canParse(text)) return false
  const { protocol, hostname } = new URL(text)
  return protocol === 'https:' || (protocol === 'http:' && /^(localhost|127(\.\d+){3}|\[::1\])$/.test(hostname))
}

export interface FetchLimits {
  /** Time limit for a response, in milliseconds. */
  timeoutMs: number
  maxBytes: number
}
export const fetchLimits: FetchLimits = { timeoutMs: 5000, maxBytes: 1_000_000 }

/** Fetches without following redirects, and reads the body only up to the limit. */
export async function fetchBounded(
  url: string,
  init: RequestInit = {},
  { timeoutMs, maxBytes }: FetchLimits = fetchLimits,
): Promise<Response> {
  const response = await fetch(url, { ...init, redirect: 'manual', signal: AbortSignal.timeout(timeoutMs) })
  const text = await textWithin(response, maxBytes)
  // A response with this status has no body.
  const body = [101, 204, 205, 304].includes(response.status) ? null : text
  return new Response(body, { status: response.status || 502, headers: response.headers })
}

/** Gets a JSON object. Rejects with an `Error` that contains the reason. Redirects are not followed. */
export async function fetchObject(
  url: string,
  init: RequestInit = {},
  send: (url: string, init: RequestInit) => Promise<Response> = fetchBounded,
): Promise<{ status: number; value: JsonObject | undefined }> {
  const response = await send(url, { ...init, headers: { accept: 'application/json', ...init.headers } })
  return { status: response.status, value: objectIn(await response.text()) }
}

function objectIn(text: string): JsonObject | undefined {
  try {
    const value: unknown = JSON.parse(text)
    return isObject(value) ? value : undefined
  } catch {
    return undefined
  }
}

async function textWithin(response: Response, maxBytes: number): Promise<string> {
  const decoder = new TextDecoder()
  let text = ''
  let bytes = 0
  for await (const chunk of response.body ?? []) {
    bytes += chunk.length
    if (bytes > maxBytes) throw new Error(`the response is longer than ${maxBytes} bytes`)
    text += decoder.decode(chunk, { stream: true })
  }
  return text + decoder.decode()
}

/** The metadata belongs to another issuer than the requested one. */
export class IssuerMismatch extends Error {}

/**
 * The first metadata that responds and belongs to the requested issuer. Rejects with an `Error` that says what was
 * wrong.
 */
export async function fetchIssuer(
  issuer: string,
  send: (url: string, init: RequestInit) => Promise<Response> = fetchBounded,
): Promise<JsonObject> {
  const reasons: string[] = []
  for (const url of metadataUrls(issuer)) {
    try {
      const { status, value } = await fetchObject(url, {}, send)
      if (status !== 200 || !value) reasons.push(`${url}: status ${status}`)
      else if (value.issuer !== issuer)
        throw new IssuerMismatch(`${url} is the metadata of ${JSON.stringify(value.issuer)}, not of ${issuer}`)
      else return value
    } catch (error) {
      // Metadata of another issuer is an error, and not skipped.
      if (error instanceof IssuerMismatch) throw error
      reasons.push(`${url}: ${error instanceof Error ? reasonOf(error) : String(error)}`)
    }
  }
  throw new Error(reasons.join('; '))
}

function reasonOf(error: Error): string {
  const { cause } = error
  return cause instanceof Error ? cause.message : error.message
}
