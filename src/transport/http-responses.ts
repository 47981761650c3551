import { ByteGatherer } from './byte-gatherer.js'
import { transportErrors } from './errors.js'

/** Maximum length of a body or event of a server. */
export const maxResponseBytes = 64 * 1024 * 1024
const maxRedirects = 5

/** A body as text, up to a limit. Rejects with a `JexoError` beyond it. */
export async function textOf(response: Response, maxBytes = maxResponseBytes): Promise<string> {
  const gathered = new ByteGatherer()
  for await (const chunk of response.body ?? []) {
    if (gathered.length + chunk.length > maxBytes) {
      await response.body?.cancel().catch(() => {})
      throw transportErrors.responseTooLong(maxBytes)
    }
    gathered.push(chunk)
  }
  return new TextDecoder().decode(gathered.bytes)
}

/**
 * Fetches, and follows redirects only within the origin, since headers and the session id are meant for that server.
 * Rejects with a `JexoError` that names another target of a redirect.
 */
export async function fetchSameOrigin(
  fetch: typeof globalThis.fetch,
  url: URL,
  init: RequestInit & { method: string },
): Promise<Response> {
  let at = url
  for (let redirects = 0; ; redirects++) {
    const response = await fetch(at, { ...init, redirect: 'manual' })
    const location = response.headers.get('location')
    const isRedirect =
      response.type === 'opaqueredirect' || (response.status >= 300 && response.status < 400 && location !== null)
    if (!isRedirect) return response
    await response.body?.cancel().catch(() => {})
    const next = location !== null && URL.canParse(location, at.href) ? new URL(location, at) : undefined
    if (next?.origin !== url.origin || redirects >= maxRedirects)
      throw transportErrors.redirected(url.href, next?.origin)
    // A POST that is redirected as a GET would lose its message.
    if (init.method !== 'GET' && response.status !== 307 && response.status !== 308)
      throw transportErrors.redirected(url.href, next.href)
    at = next
  }
}
