import type { AuthorizationServer } from 'oauth4webapi'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { canonicalUri } from '../canonical-uri.js'
import { accessErrors } from '../errors.js'
import { fetchIssuer, fetchObject, isSafeUrl } from '../issuer-metadata.js'
import { isPrivateHost } from '../private-address.js'
import type { Challenge } from './sign-in.js'

/** Where somebody signs in for a server, and what for. */
export interface Discovered {
  /** The server, as its tokens name it. */
  resource: string
  server: AuthorizationServer
  /** All that the server's parts ask for. */
  scopesSupported: readonly string[] | undefined
}

/**
 * Finds where somebody signs in for a server (Authorization, "Discovery"): its metadata by the challenge, by its path, at the root; then that of the
 * authorization server. A server without metadata is taken for its own authorization server, as the revision 2025-03-26 has it.
 */
export async function discover(endpoint: URL, { metadataUrl }: Challenge): Promise<Discovered> {
  const own = await resourceMetadata(endpoint, metadataUrl)
  const resource = canonicalUri(endpoint.href)
  if (!own) return { resource, server: await ownServer(endpoint.origin), scopesSupported: undefined }
  if (typeof own.resource !== 'string' || !URL.canParse(own.resource) || canonicalUri(own.resource) !== resource)
    throw accessErrors.signInFailed(
      endpoint.href,
      'metadata',
      `the metadata is of another resource, ${JSON.stringify(own.resource)}`,
      'server',
    )
  const [issuer] = Array.isArray(own.authorization_servers) ? own.authorization_servers : []
  if (!isSafeUrl(issuer) || leadsInside(endpoint, issuer))
    throw accessErrors.signInFailed(
      endpoint.href,
      'metadata',
      'the metadata names no authorization server with an https URL that everybody reaches',
      'server',
    )
  const found = await fetchIssuer(issuer).catch((error) => {
    throw accessErrors.signInFailed(endpoint.href, 'authorization server', error.message, 'authorization server')
  })
  const scopes = own.scopes_supported
  return {
    resource: own.resource,
    server: serverOf(endpoint, found),
    scopesSupported: Array.isArray(scopes) ? scopes.filter((scope) => typeof scope === 'string') : undefined,
  }
}

async function resourceMetadata(endpoint: URL, named: string | undefined): Promise<JsonObject | undefined> {
  const { origin, pathname } = endpoint
  const wellKnown = `${origin}/.well-known/oauth-protected-resource`
  // Only of the server itself: an address elsewhere could be anything on this network.
  const given = named !== undefined && URL.canParse(named) && new URL(named).origin === origin ? [named] : []
  for (const url of [...given, ...(pathname === '/' ? [] : [wellKnown + pathname]), wellKnown]) {
    const { status, value } = await fetchObject(url).catch(() => ({ status: 0, value: undefined }))
    if (status === 200 && value) return value
  }
  return undefined
}

async function ownServer(origin: string): Promise<AuthorizationServer> {
  const found = await fetchIssuer(origin).catch(() => undefined)
  if (found) return serverOf(new URL(origin), found)
  return {
    issuer: origin,
    authorization_endpoint: `${origin}/authorize`,
    token_endpoint: `${origin}/token`,
    registration_endpoint: `${origin}/register`,
    code_challenge_methods_supported: ['S256'],
  }
}

/** A server out there must not make this program send requests into the network that it is in. */
const leadsInside = (endpoint: URL, url: string): boolean =>
  isPrivateHost(new URL(url).hostname) && !isPrivateHost(endpoint.hostname)

/** Endpoints that are not https, or http on this machine, are refused. */
function serverOf(endpoint: URL, found: JsonObject): AuthorizationServer {
  for (const [name, value] of Object.entries(isObject(found) ? found : {}))
    if (/_endpoint$/.test(name) && (!isSafeUrl(value) || leadsInside(endpoint, value)))
      throw accessErrors.signInFailed(
        endpoint.href,
        'authorization server',
        `its ${name} is not an https URL that everybody reaches`,
        'authorization server',
      )
  return found as unknown as AuthorizationServer
}
