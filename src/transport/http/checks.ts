import { type HttpRequest, type HttpResponse, refusal } from './exchange.js'

export interface Sources {
  /** Allowed values of the `Host` header, with or without port, in addition to loopback names. */
  allowedHosts: readonly string[]
  /** Allowed origins of pages, in addition to the server's own. */
  allowedOrigins: readonly string[]
}

const loopbackNames = new Set(['localhost', '127.0.0.1', '[::1]', '::1'])
export const isLoopback = (host: string): boolean => loopbackNames.has(host) || /^127(\.\d{1,3}){3}$/.test(host)

const lastHost = new WeakMap<Sources, string>()

/** Refuses requests with an unknown host name, against DNS rebinding (Transports, "Security Warning"). */
export function checkHost(request: HttpRequest, sources: Sources): HttpResponse | undefined {
  const host = request.header('host')
  // Most requests have the same host, so the last accepted value is remembered.
  if (host !== undefined && host !== lastHost.get(sources) && !isHostAllowed(host, sources)) {
    return refusal(
      403,
      `The host ${JSON.stringify(host)} is not served here; name it with --public-url or allowedHosts.`,
    )
  }
  if (host !== undefined) lastHost.set(sources, host)
  return undefined
}

/** Refuses requests that a page of another site sends with the user's browser (Transports, "Security Warning"). */
export function checkOrigin(request: HttpRequest, sources: Sources): HttpResponse | undefined {
  const host = request.header('host')
  const origin = request.header('origin')
  // Browsers mark cross-site requests with this header, also those without an Origin, such as for images.
  const isCrossSite = request.header('sec-fetch-site') === 'cross-site'
  if (isCrossSite && (origin === undefined || !sources.allowedOrigins.includes(origin)))
    return refusal(403, 'Pages of other sites may not call this server; name their origin in allowedOrigins.')
  if (origin !== undefined && !isOriginAllowed(origin, host, sources)) {
    return refusal(
      403,
      `Pages of ${JSON.stringify(origin)} may not call this server; name the origin in allowedOrigins.`,
    )
  }
  return undefined
}

function isHostAllowed(host: string, sources: Sources): boolean {
  const name = nameOf(host)
  return isLoopback(name) || sources.allowedHosts.some((allowed) => allowed === host || allowed === name)
}

export function isOriginAllowed(origin: string, host: string | undefined, sources: Sources): boolean {
  if (sources.allowedOrigins.includes(origin)) return true
  if (!URL.canParse(origin)) return false
  const url = new URL(origin)
  if (url.host === host) return true
  return isLoopback(url.hostname) && host !== undefined && isLoopback(nameOf(host)) && url.port === portOf(host)
}

const nameOf = (host: string) => host.replace(/:\d+$/, '').toLowerCase()
const portOf = (host: string) => /:(\d+)$/.exec(host)?.[1] ?? ''

/**
 * Refuses a POST that does not accept both JSON and an event stream, or whose content is not JSON (Transports,
 * "Protocol Version Header").
 */
export function checkPost(request: HttpRequest): HttpResponse | undefined {
  const isUsual = request.header('accept') === 'application/json, text/event-stream'
  if (!isUsual && (!accepts(request, 'application/json') || !accepts(request, 'text/event-stream'))) {
    return refusal(406, 'Accept must list both application/json and text/event-stream.')
  }
  return isJson(request) ? undefined : refusal(415, 'Content-Type must be application/json.')
}

/** True for a browser that opens the URL: it prefers HTML to other types. */
export function isBrowser(request: HttpRequest): boolean {
  const accept = request.header('accept') ?? ''
  return accept.includes('text/html') && !accept.includes('text/event-stream')
}

/** True if the content type of the body is JSON. */
export function isJson(request: HttpRequest): boolean {
  const given = request.header('content-type')
  if (given === 'application/json') return true
  const type = (given ?? '').split(';')[0]?.trim().toLowerCase()
  return type === 'application/json'
}

/** True if the Accept header allows a media type, explicitly or by a wildcard. */
export function accepts(request: HttpRequest, type: string): boolean {
  const accept = request.header('accept')
  if (accept === undefined) return false
  return accept.split(',').some((range) => {
    const [name = '', ...params] = range
      .trim()
      .toLowerCase()
      .split(/\s*;\s*/)
    if (params.some((param) => /^q=0(\.0*)?$/.test(param))) return false
    return name === type || name === '*/*' || (name.endsWith('/*') && type.startsWith(name.slice(0, -1)))
  })
}
