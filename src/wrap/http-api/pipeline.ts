import type { LimitFunction } from 'p-limit'
import { httpApiErrors } from './errors.js'
import type { UpstreamRequest } from './request.js'
import type { Send, UpstreamResponse } from './sender.js'

/**
 * Functions that wrap a sender, each with one task; combined, they send requests to an API that may be slow, busy or
 * moved.
 */

/** Limits the time of each attempt. */
export const withTimeout =
  (send: Send, timeoutMs: number): Send =>
  async (request, signal) => {
    const timeout = AbortSignal.timeout(timeoutMs)
    const either = AbortSignal.any([signal, timeout])
    try {
      return await abortable(send(request, either), either)
    } catch (error) {
      if (timeout.aborted && !signal.aborted) throw httpApiErrors.upstreamTimedOut(hostOf(request), timeoutMs)
      throw error
    }
  }

/** Limits the number of concurrent requests; a cancelled request leaves the queue at once. */
export const withLimit =
  (send: Send, limit: LimitFunction): Send =>
  (request, signal) =>
    abortable(
      limit(() => {
        signal.throwIfAborted()
        return send(request, signal)
      }),
      signal,
    )

export interface RetryOptions {
  readonly retries: number
  /** First pause; each later one is twice as long. */
  readonly pauseMs: number
  /** Maximum pause; if the server asks for a longer one, the request fails. */
  readonly maxPauseMs: number
  /** Called for each retry. */
  readonly onRetry?: (reason: string, pauseMs: number) => void
}

/**
 * Retries requests that are safe to repeat, with growing pauses: after 429 any request, since it was not executed; after 502 to 504
 * and broken connections only reads. Observes `Retry-After`.
 */
export const withRetries =
  (send: Send, { retries, pauseMs, maxPauseMs, onRetry }: RetryOptions): Send =>
  async (request, signal) => {
    for (let attempt = 0; ; attempt++) {
      const outcome = await send(request, signal).catch((error: unknown) => ({ error }))
      const reason = reasonToRepeat(request, outcome)
      const asked = 'error' in outcome ? undefined : retryAfterMs(outcome)
      const wait = asked ?? pauseMs * 2 ** attempt * (0.75 + Math.random() / 2)
      if (reason === undefined || attempt >= retries || wait > maxPauseMs || signal.aborted) {
        if ('error' in outcome) throw outcome.error
        return outcome
      }
      onRetry?.(reason, wait)
      await pause(wait, signal)
    }
  }

function reasonToRepeat(
  { method, onlyReads: isSafe = false }: UpstreamRequest,
  outcome: UpstreamResponse | { error: unknown },
): string | undefined {
  const onlyReads = isSafe || /^(GET|HEAD|OPTIONS|QUERY)$/.test(method)
  if (!('error' in outcome)) {
    const { status } = outcome
    return status === 429 || (onlyReads && status >= 502 && status <= 504) ? `it returned ${status}` : undefined
  }
  const code = codeOf(outcome.error)
  // Refused before anything was sent.
  if (code === 'ECONNREFUSED') return 'it could not be reached (ECONNREFUSED)'
  return onlyReads && code !== undefined && brokenConnection.test(code)
    ? `the connection broke (${code})`
    : undefined
}
const brokenConnection = /^(ECONNRESET|EPIPE|ETIMEDOUT|EAI_AGAIN|UND_ERR_SOCKET|UND_ERR_CONNECT_TIMEOUT)$/

/** `Retry-After` in milliseconds from now: seconds, or a date. */
export function retryAfterMs({ headers }: Pick<UpstreamResponse, 'headers'>): number | undefined {
  const text = headers.get('retry-after')
  if (text === undefined) return undefined
  const ms = /^\d+$/.test(text.trim()) ? Number(text) * 1000 : Date.parse(text) - Date.now()
  return Number.isFinite(ms) ? Math.max(0, ms) : undefined
}

/** Follows redirects within the allowed hosts, at most five; secrets are sent only to the first origin. */
export const withRedirects =
  (send: Send, allowedHosts: ReadonlySet<string>, isSecretHeader: (name: string) => boolean): Send =>
  async (first, signal) => {
    let request = first
    for (let hops = 0; ; hops++) {
      const response = await send(request, signal)
      const location = response.headers.get('location')
      if (![301, 302, 303, 307, 308].includes(response.status) || location === undefined) return response
      const from = new URL(request.url)
      if (!URL.canParse(location, from))
        throw httpApiErrors.upstreamRedirect(from.host, location, 'that is not a valid URL')
      const to = new URL(location, from)
      if (hops >= 5) throw httpApiErrors.upstreamRedirect(from.host, to.host, 'there are too many redirects')
      if (!/^https?:$/.test(to.protocol) || (from.protocol === 'https:' && to.protocol === 'http:'))
        throw httpApiErrors.upstreamRedirect(from.host, to.href.split('?')[0] ?? '', 'it would leave HTTPS')
      if (!allowedHosts.has(to.host))
        throw httpApiErrors.upstreamRedirect(from.host, to.host, 'that host is not allowed')
      request = redirected(request, response.status, to, from.origin === to.origin, isSecretHeader)
    }
  }

function redirected(
  { method, headers, body }: UpstreamRequest,
  status: number,
  to: URL,
  isSameOrigin: boolean,
  isSecretHeader: (name: string) => boolean,
): UpstreamRequest {
  const becomesGet = status === 303 ? method !== 'HEAD' : status < 303 && method === 'POST'
  const kept = headers.filter(
    ([name]) => (isSameOrigin || !isSecretHeader(name)) && !(becomesGet && /^content-/i.test(name)),
  )
  return {
    method: becomesGet ? 'GET' : method,
    url: to.href,
    headers: kept,
    ...(body === undefined || becomesGet ? {} : { body }),
  }
}

/** Stops waiting for a promise when the signal is aborted. */
function abortable<T>(work: Promise<T>, signal: AbortSignal): Promise<T> {
  work.catch(() => {})
  return new Promise((resolve, reject) => {
    const stop = () => reject(signal.reason)
    if (signal.aborted) return stop()
    signal.addEventListener('abort', stop, { once: true })
    work.then(resolve, reject).finally(() => signal.removeEventListener('abort', stop))
  })
}

function pause(ms: number, signal: AbortSignal): Promise<void> {
  let timer: NodeJS.Timeout | undefined
  const waiting = new Promise<void>((resolve) => {
    timer = setTimeout(resolve, ms)
  })
  return abortable(waiting, signal).finally(() => clearTimeout(timer))
}

export const hostOf = ({ url }: Pick<UpstreamRequest, 'url'>): string => new URL(url).host

/** The code of a network error, wherever it is wrapped; undefined for errors of other kinds. */
export function codeOf(error: unknown): string | undefined {
  const { code, cause } = (error ?? {}) as { code?: unknown; cause?: unknown }
  if (typeof code === 'string' && networkCode.test(code)) return code
  return cause === undefined ? undefined : codeOf(cause)
}
const networkCode =
  /^(E(CONN|HOST|NET|ADDR|TIMEDOUT|PIPE|NOTFOUND|AI_)|UND_ERR(?!_INVALID)|HPE_|CERT_|ERR_(TLS|SSL)|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO)/
