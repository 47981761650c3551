import { canonicalUri } from '../../access/canonical-uri.js'
import { type AccessCheck, missingScopes, staticToken, type Verdict } from '../../access/check.js'
import { scopesOffered } from '../../engine/gates.js'
import type { Identity } from '../../kit/call.js'
import type { Kit } from '../../kit/kit.js'
import { isLoopback } from './checks.js'
import { empty, type HttpRequest, type HttpResponse, json, refusal } from './exchange.js'

const wellKnown = '/.well-known/oauth-protected-resource'

export interface GuardOptions {
  access: AccessCheck | undefined
  token: string | undefined
  publicUrl: string | undefined
  path: string
}

type Respond = (identity: Identity | undefined) => HttpResponse | Promise<HttpResponse>

/** Authenticates and authorizes callers over HTTP, and refuses others (Authorization). */
export class Guard {
  readonly #access: AccessCheck | undefined
  readonly #publicUrl: string | undefined
  readonly #path: string
  /** Callers that have the scopes that every request requires. */
  readonly #mayCall = new WeakSet<Identity>()
  #latest: { host: string; resource: string } | undefined

  constructor({ access, token, publicUrl, path }: GuardOptions) {
    this.#access = access ?? (token === undefined ? undefined : staticToken(token))
    this.#publicUrl = publicUrl === undefined ? undefined : canonicalUri(publicUrl)
    this.#path = path
  }

  /**
   * Passes on requests of authorized callers, and refuses all others. Streams end when the token expires. `identity` is
   * undefined if authentication is off.
   */
  admit(request: HttpRequest, respond: Respond): HttpResponse | Promise<HttpResponse> {
    const access = this.#access
    if (!access) return respond(undefined)
    const verdict = access.identify({
      token: bearerOf(request.header('authorization')),
      header: request.header,
      address: request.address,
      resource: this.#resource(request),
    })
    if (verdict instanceof Promise) return verdict.then((judged) => this.#judge(request, judged, respond))
    return this.#judge(request, verdict, respond)
  }

  #judge(request: HttpRequest, verdict: Verdict, respond: Respond): HttpResponse | Promise<HttpResponse> {
    if ('refused' in verdict) return this.refuse(request, verdict)
    const { identity, expiresAtMs } = verdict
    const lacking = this.lacking(request, identity, [])
    if (lacking) return lacking
    const given = respond(identity)
    if (expiresAtMs === undefined) return given
    return given instanceof Promise
      ? given.then((made) => endingAt(made, expiresAtMs))
      : endingAt(given, expiresAtMs)
  }

  /** 401 if a token is missing or invalid, 503 if it cannot be checked now. */
  refuse(request: HttpRequest, { refused, reason }: Extract<Verdict, { refused: unknown }>): HttpResponse {
    if (refused === 'unavailable') {
      return refusal(503, `Tokens cannot be checked now: ${reason}.`, -32000, { 'retry-after': '5' })
    }
    const scopes = this.#access?.scopes ?? []
    return refusal(401, sentence(reason), -32000, {
      'www-authenticate': challenge([
        ...this.#metadataParameter(request),
        ...(scopes.length > 0 ? [['scope', scopes.join(' ')] as const] : []),
        ...(refused === 'invalid'
          ? ([
              ['error', 'invalid_token'],
              ['error_description', reason],
            ] as const)
          : []),
      ]),
    })
  }

  /** 403 with all scopes that a request needs, if the caller lacks one; undefined otherwise. */
  lacking(request: HttpRequest, identity: Identity, needed: readonly string[]): HttpResponse | undefined {
    if (needed.length === 0 && this.#mayCall.has(identity)) return undefined
    const own = this.#access?.scopesFor?.(identity) ?? this.#access?.scopes ?? []
    if (own.length + needed.length === 0) return undefined
    const all = [...new Set([...own, ...needed])]
    const missing = missingScopes(identity, all)
    if (missing.length === 0) {
      this.#mayCall.add(identity)
      return undefined
    }
    return refusal(403, `The caller lacks the scope ${missing.join(', ')}.`, -32000, {
      'www-authenticate': challenge([
        ['error', 'insufficient_scope'],
        ['scope', all.join(' ')],
        ...this.#metadataParameter(request),
        ['error_description', `the scope ${missing.join(' ')} is missing`],
      ]),
    })
  }

  /** The protected resource metadata; undefined for other paths. Everybody may read it, from any page. */
  metadata(request: HttpRequest, kit: Kit): HttpResponse | undefined {
    const { path, method } = request
    if (!path.startsWith(wellKnown)) return undefined
    if (path !== wellKnown && path !== wellKnown + this.#path) return undefined
    const servers = this.#access?.authorizationServers ?? []
    if (servers.length === 0) return undefined
    const open = { 'access-control-allow-origin': '*', 'cache-control': 'max-age=300' }
    if (method === 'OPTIONS')
      return empty(204, { ...open, 'access-control-allow-methods': 'GET', 'access-control-allow-headers': '*' })
    if (method !== 'GET' && method !== 'HEAD')
      return refusal(405, `${method} is not offered here.`, -32000, { allow: 'GET, HEAD', ...open })
    const scopes = [...new Set([...(this.#access?.scopes ?? []), ...scopesOffered(kit)])]
    return json(
      200,
      {
        resource: this.#resource(request),
        authorization_servers: servers,
        ...(scopes.length > 0 ? { scopes_supported: scopes } : {}),
        bearer_methods_supported: ['header'],
        resource_name: kit.title ?? kit.name,
        ...(kit.websiteUrl === undefined ? {} : { resource_documentation: kit.websiteUrl }),
      },
      open,
    )
  }

  #metadataParameter(request: HttpRequest): (readonly [string, string])[] {
    if ((this.#access?.authorizationServers ?? []).length === 0) return []
    const { origin, pathname } = new URL(this.#resource(request))
    return [['resource_metadata', `${origin}${wellKnown}${pathname === '/' ? '' : pathname}`]]
  }

  /** The public URL of the endpoint. Most requests have the same host. */
  #resource(request: HttpRequest): string {
    if (this.#publicUrl !== undefined) return this.#publicUrl
    const host = request.header('host') ?? 'localhost'
    if (this.#latest?.host === host) return this.#latest.resource
    const scheme = isLoopback(host.replace(/:\d+$/, '')) ? 'http' : 'https'
    const url = `${scheme}://${host}${this.#path}`
    const resource = canonicalUri(URL.canParse(url) ? url : `http://localhost${this.#path}`)
    this.#latest = { host, resource }
    return resource
  }
}

/** Maximum delay of a timer. */
const longestMs = 2 ** 31 - 1

/** Ends a stream when the token of its caller expires; the client resumes it with a new one. */
function endingAt(response: HttpResponse, endsAtMs: number): HttpResponse {
  const { stream } = response
  if (!stream) return response
  const attached: typeof stream = (sink) => {
    const detach = stream(sink)
    const end = () => {
      detach()
      sink.end()
    }
    const timer = setTimeout(end, Math.max(0, Math.min(endsAtMs - Date.now(), longestMs)))
    ;(timer as { unref?: () => void }).unref?.()
    return () => {
      clearTimeout(timer)
      detach()
    }
  }
  return { ...response, stream: attached }
}

/** The token of an Authorization header. Tokens in the URL or the body are ignored. */
export function bearerOf(header: string | undefined): string | undefined {
  if (header === undefined) return undefined
  // The usual form, without a pattern.
  if (header.startsWith('Bearer ') && !header.includes(' ', 7)) return header.slice(7) || undefined
  const found = /^Bearer(?: +(.*))?$/i.exec(header)
  // A header that is not a bearer token is refused like an invalid token.
  return found ? (found[1] ?? '').trim() || undefined : undefined
}

/** A header value; texts in it are quoted, and cannot end the quotes or the header. */
const challenge = (parameters: readonly (readonly [string, string])[]): string =>
  parameters.length === 0
    ? 'Bearer'
    : `Bearer ${parameters.map(([name, value]) => `${name}="${value.replace(/[^\x20-\x7e]|["\\]/g, "'")}"`).join(', ')}`

const sentence = (reason: string) =>
  `${reason[0]?.toUpperCase() ?? ''}${reason.slice(1)}${reason.endsWith('.') ? '' : '.'}`
