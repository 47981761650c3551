import type { AuthorizationServer } from 'oauth4webapi'
import { isObject, type JsonObject } from '../../protocol/messages.js'
import { canonicalUri } from '../canonical-uri.js'
import { accessErrors } from '../errors.js'
import { fetchIssuer, fetchObject, IssuerMismatch, isSafeUrl } from '../issuer-metadata.js'
import { isPrivateHost } from '../private-address.js'
import { type SignInRule, signInRules } from './rules.js'
import type { Challenge } from './sign-in.js'
import { type BoundedFetch, SignInTrace } from './steps.js'

/** Authorization server, resource and scopes for a sign-in. */
export interface Discovered {
  /** The server's identifier in its tokens. */
  resource: string
  server: AuthorizationServer
  /** All scopes that the server's parts require. */
  scopesSupported: readonly string[] | undefined
  /** The server has no metadata: its endpoints have the default paths of revision 2025-03-26. */
  isAssumed: boolean
}

interface ServerMetadata {
  resource: string
  /** Undefined for a server without metadata, which is its own authorization server. */
  issuer: string | undefined
  scopes: readonly string[] | undefined
}

/**
 * Finds the authorization server of a server (Authorization, "Authorization Server Discovery"): reads the server's metadata from the URL in the challenge, for its path or at the root, and then the metadata of the authorization server. A server without metadata is taken for its own authorization server, as the revision 2025-03-26 has it.
 */
export async function discover(
  endpoint: URL,
  challenge: Challenge,
  trace = new SignInTrace(undefined),
): Promise<Discovered> {
  const { resource, issuer, scopes } = await trace.step(
    'metadata',
    (send) => serverMetadata(endpoint, challenge, send),
    (found) =>
      found.issuer === undefined
        ? 'no metadata: using the server itself as its authorization server (revision 2025-03-26)'
        : `the metadata names ${found.issuer} for ${found.resource}`,
  )
  const { server, isAssumed } = await trace.step(
    'authorization server',
    (send) => (issuer === undefined ? ownServer(endpoint, send) : issuerServer(endpoint, issuer, send)),
    (found) =>
      found.isAssumed ? `no metadata: default endpoints of ${found.server.issuer}` : `found ${found.server.issuer}`,
  )
  return { resource, server, scopesSupported: scopes, isAssumed }
}

async function serverMetadata(
  endpoint: URL,
  { metadataUrl }: Challenge,
  send: BoundedFetch,
): Promise<ServerMetadata> {
  const own = await resourceMetadata(endpoint, metadataUrl, send)
  if (!own) return { resource: canonicalUri(endpoint.href), issuer: undefined, scopes: undefined }
  const fail = (reason: string, rule: SignInRule) =>
    accessErrors.signInFailed(endpoint.href, 'metadata', reason, rule)
  const { resource, authorization_servers: servers, scopes_supported: scopes } = own
  if (typeof resource !== 'string' || !isResourceOf(resource, endpoint))
    throw fail(`the metadata describes another resource, ${JSON.stringify(resource)}`, signInRules.resource)
  const [issuer] = Array.isArray(servers) ? servers : []
  if (!isSafeUrl(issuer) || leadsInside(endpoint, issuer))
    throw fail('the metadata has no authorization server with a public https URL', signInRules.issuers)
  return {
    resource,
    issuer,
    scopes: Array.isArray(scopes) ? scopes.filter((scope) => typeof scope === 'string') : undefined,
  }
}

/** True if the resource is the endpoint itself, or a prefix of its path, up to the whole host. */
function isResourceOf(resource: string, endpoint: URL): boolean {
  if (!URL.canParse(resource)) return false
  const [whole, own] = [canonicalUri(resource), canonicalUri(endpoint.href)]
  return own === whole || (new URL(whole).search === '' && own.startsWith(`${whole.replace(/\/$/, '')}/`))
}

async function resourceMetadata(
  { origin, pathname }: URL,
  named: string | undefined,
  send: BoundedFetch,
): Promise<JsonObject | undefined> {
  const wellKnown = `${origin}/.well-known/oauth-protected-resource`
  // Only on the server itself, since an address elsewhere could be in the local network.
  const given = named !== undefined && URL.canParse(named) && new URL(named).origin === origin ? [named] : []
  for (const url of new Set([...given, ...(pathname === '/' ? [] : [wellKnown + pathname]), wellKnown])) {
    const { status, value } = await fetchObject(url, {}, send).catch(() => ({ status: 0, value: undefined }))
    if (status === 200 && value) return value
  }
  return undefined
}

async function issuerServer(endpoint: URL, issuer: string, send: BoundedFetch): Promise<Found> {
  const found = await fetchIssuer(issuer, send).catch((error) => {
    const rule = error instanceof IssuerMismatch ? signInRules.issuer : signInRules.metadata
    throw accessErrors.signInFailed(endpoint.href, 'authorization server', error.message, rule)
  })
  return { server: serverOf(endpoint, found), isAssumed: false }
}

interface Found {
  server: AuthorizationServer
  isAssumed: boolean
}

async function ownServer(endpoint: URL, send: BoundedFetch): Promise<Found> {
  const { origin } = endpoint
  const found = await fetchIssuer(origin, send).catch(() => undefined)
  if (found) return { server: serverOf(endpoint, found), isAssumed: false }
  const server = {
    issuer: origin,
    authorization_endpoint: `${origin}/authorize`,
    token_endpoint: `${origin}/token`,
    registration_endpoint: `${origin}/register`,
    code_challenge_methods_supported: ['S256'],
  }
  return { server, isAssumed: true }
}

/** A remote server must not make this program send requests into its local network. */
const leadsInside = (endpoint: URL, url: string): boolean =>
  isPrivateHost(new URL(url).hostname) && !isPrivateHost(endpoint.hostname)

/** Endpoints that are not https, or http on this machine, are refused. */
function serverOf(endpoint: URL, found: JsonObject): AuthorizationServer {
  for (const [name, value] of Object.entries(isObject(found) ? found : {}))
    if (/_endpoint$/.test(name) && (!isSafeUrl(value) || leadsInside(endpoint, value)))
      throw accessErrors.signInFailed(
        endpoint.href,
        'authorization server',
        `its ${name} is not a public https URL`,
        signInRules.https,
      )
  return found as unknown as AuthorizationServer
}
