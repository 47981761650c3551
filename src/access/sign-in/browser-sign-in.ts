import type { AuthorizationServer } from 'oauth4webapi'
import { canonicalUri } from '../canonical-uri.js'
import { accessErrors } from '../errors.js'
import { isSafeUrl } from '../issuer-metadata.js'
import { reasonOf } from './client-credentials.js'
import { type Discovered, discover } from './discover.js'
import { grantOf, isFresh, type KnownClient, requestOptions } from './grant.js'
import { listenForReturn } from './loopback.js'
import type { Challenge, SignIn } from './sign-in.js'
import { type KeptSignIn, memoryStore, type SignInStore } from './store.js'

export interface BrowserSignInOptions {
  /** Shows the person the address to open. Without it, nobody is asked: a sign-in that is needed is an error. */
  open?: (url: URL) => void | Promise<void>
  /** Id of this program at the authorization server; without one, it registers itself where that is possible. */
  clientId?: string
  clientSecret?: string
  /** URL of a client id metadata document, for authorization servers that take one. */
  clientMetadataUrl?: string
  /** What the authorization server calls this program. */
  clientName?: string
  /** Scopes to ask for; those that the server needs by default. */
  scopes?: readonly string[]
  /** Where tokens are kept; in memory by default. */
  store?: SignInStore
  /** How long a person may take, in milliseconds. Default: 300,000. */
  limitMs?: number
  signal?: AbortSignal
}

/**
 * Signs a person in with their browser (OAuth 2.1, authorization code with PKCE): finds the authorization server, registers, opens the address and waits
 * for the return on this machine. Tokens are refreshed before they end, and asked for again with more scopes when the server needs them.
 */
export function browserSignIn(options: BrowserSignInOptions): SignIn {
  const { store = memoryStore() } = options
  const renew = async (endpoint: URL, challenge: Challenge, refused?: string): Promise<string> => {
    const resource = canonicalUri(endpoint.href)
    const made = await store.update(resource, async (now) => {
      // Somebody else was faster.
      if (now && now.accessToken !== refused && challenge.error !== 'insufficient_scope') return now
      const discovered = await discover(endpoint, challenge)
      const refreshed = challenge.error === 'insufficient_scope' ? undefined : await refresh(discovered, now)
      return refreshed ?? (await authorize(endpoint, discovered, challenge, now, options))
    })
    return made?.accessToken ?? ''
  }
  return {
    token: async (endpoint) => {
      const resource = canonicalUri(endpoint.href)
      const known = await store.read(resource)
      if (!known || isFresh(known)) return known?.accessToken
      if (known.refreshToken === undefined) return undefined
      const after = await store.update(resource, async (now) => {
        if (!now || isFresh(now)) return now
        // What cannot be refreshed is refused by the server, and renewed then.
        return (await refresh(await discover(endpoint, {}).catch(() => undefined), now)) ?? now
      })
      return after?.accessToken
    },
    renew,
  }
}

/** Undefined where there is nothing to refresh, or the authorization server does not. */
async function refresh(
  discovered: Discovered | undefined,
  now: KeptSignIn | undefined,
): Promise<KeptSignIn | undefined> {
  if (!discovered || now?.refreshToken === undefined || now.issuer !== discovered.server.issuer) return undefined
  const { server, resource } = discovered
  const oauth = await import('oauth4webapi')
  const { client, auth } = knownClient(oauth, now.clientId, now.clientSecret)
  try {
    const response = await oauth.refreshTokenGrantRequest(server, client, auth, now.refreshToken, {
      ...requestOptions,
      additionalParameters: { resource },
    })
    const grant = grantOf(await oauth.processRefreshTokenResponse(server, client, response), now.scopes, now)
    return { ...now, ...grant }
  } catch {
    return undefined
  }
}

const knownClient = (
  oauth: typeof import('oauth4webapi'),
  id: string,
  secret: string | undefined,
): KnownClient => ({
  client: { client_id: id },
  auth: secret === undefined ? oauth.None() : oauth.ClientSecretBasic(secret),
})

async function authorize(
  endpoint: URL,
  { server, resource, scopesSupported }: Discovered,
  challenge: Challenge,
  now: KeptSignIn | undefined,
  options: BrowserSignInOptions,
): Promise<KeptSignIn> {
  const { open } = options
  if (!open) throw accessErrors.signInNeeded(endpoint.href)
  const fail = (step: string, reason: string, whose = 'authorization server') =>
    accessErrors.signInFailed(endpoint.href, step, reason, whose)
  if (!(server.code_challenge_methods_supported ?? []).includes('S256'))
    throw fail('authorization server', 'it does not support PKCE with S256')
  if (!isSafeUrl(server.authorization_endpoint))
    throw fail('authorization server', 'it has no authorization endpoint')
  const oauth = await import('oauth4webapi')
  const loopback = await listenForReturn(options.limitMs ?? 300_000, options.signal)
  try {
    const { redirectUri } = loopback
    const known = await clientFor(server, redirectUri, now, options).catch((error) => {
      throw fail('registration', reasonOf(error))
    })
    const verifier = oauth.generateRandomCodeVerifier()
    const state = oauth.generateRandomState()
    const asked = challenge.scope?.split(' ') ?? options.scopes ?? scopesSupported ?? []
    // More scopes are asked for together with those that are there.
    const before = challenge.error === 'insufficient_scope' ? (now?.scopes ?? []) : []
    const scopes = [...new Set([...(options.scopes ?? []), ...before, ...asked])].filter(Boolean)
    const url = new URL(server.authorization_endpoint)
    const parameters = {
      response_type: 'code',
      client_id: known.id,
      redirect_uri: redirectUri,
      state,
      code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
      resource,
      ...(scopes.length > 0 ? { scope: scopes.join(' ') } : {}),
    }
    for (const [name, value] of Object.entries(parameters)) url.searchParams.set(name, value)
    await open(url)
    const returned = await loopback.returned().catch((error) => {
      throw fail('authorization', error.message, 'person')
    })
    const { client, auth } = knownClient(oauth, known.id, known.secret)
    try {
      const validated = oauth.validateAuthResponse(server, client, returned, state)
      const response = await oauth.authorizationCodeGrantRequest(
        server,
        client,
        auth,
        validated,
        redirectUri,
        verifier,
        {
          ...requestOptions,
          additionalParameters: { resource },
        },
      )
      const grant = grantOf(await oauth.processAuthorizationCodeResponse(server, client, response), scopes)
      return {
        ...grant,
        resource,
        issuer: server.issuer,
        clientId: known.id,
        ...(known.secret === undefined ? {} : { clientSecret: known.secret }),
      }
    } catch (error) {
      throw fail(returned.searchParams.has('error') ? 'authorization' : 'token', reasonOf(error))
    }
  } finally {
    loopback.close()
  }
}

/** Who this program is: by an id that was given, by a metadata document, by registering itself (in this order). */
async function clientFor(
  server: AuthorizationServer,
  redirectUri: string,
  now: KeptSignIn | undefined,
  { clientId, clientSecret, clientMetadataUrl, clientName = 'Jexo' }: BrowserSignInOptions,
): Promise<{ id: string; secret?: string }> {
  const withSecret = (id: string, secret: string | undefined) => ({
    id,
    ...(secret === undefined ? {} : { secret }),
  })
  if (clientId !== undefined) return withSecret(clientId, clientSecret)
  if (clientMetadataUrl !== undefined && server.client_id_metadata_document_supported === true)
    return { id: clientMetadataUrl }
  if (server.registration_endpoint === undefined) {
    if (now && now.issuer === server.issuer) return withSecret(now.clientId, now.clientSecret)
    throw new Error('it registers no clients by itself; get an id for this program there, and give it')
  }
  const oauth = await import('oauth4webapi')
  const response = await oauth.dynamicClientRegistrationRequest(
    server,
    {
      client_name: clientName,
      redirect_uris: [redirectUri],
      grant_types: ['authorization_code', 'refresh_token'],
      response_types: ['code'],
      token_endpoint_auth_method: 'none',
    },
    requestOptions,
  )
  const { client_id: id, client_secret: secret } = await oauth.processDynamicClientRegistrationResponse(response)
  return withSecret(id, typeof secret === 'string' ? secret : undefined)
}
