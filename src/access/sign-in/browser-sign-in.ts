import { messageOf } from '../../errors.js'
import { isSafeUrl } from '../issuer-metadata.js'
import { grantOf, knownClient, requestOptions } from './grant.js'
import { clientFor } from './known-client.js'
import { type Loopback, listenForReturn } from './loopback.js'
import { type PersonAttempt, type PersonSignInOptions, personSignIn, signInFailed } from './person-sign-in.js'
import { reasonOf, ruleOf, tokenDetail } from './reasons.js'
import { signInRules } from './rules.js'
import type { SignIn } from './sign-in.js'
import { maskedUrl } from './steps.js'
import type { KeptSignIn } from './store.js'

export interface BrowserSignInOptions extends PersonSignInOptions {
  /** Shows the user the address to open; rejects if the user cancels. Without it, a required sign-in is an error. */
  open?: (url: URL) => void | Promise<void>
}

/**
 * Signs a user in with the browser (OAuth 2.1, authorization code with PKCE): finds the authorization server,
 * registers, opens the address and waits for the redirect on this machine. Tokens are refreshed before they expire, and
 * requested again with more scopes if the server needs them.
 *
 * @example const link = await connect(url, { signIn: browserSignIn({ open: (page) => console.error(`Sign in: ${page}`) }) })
 */
export function browserSignIn(options: BrowserSignInOptions): SignIn {
  const { open } = options
  return personSignIn(open && ((attempt) => authorize(attempt, open, options)), options)
}

async function authorize(
  attempt: PersonAttempt,
  open: (url: URL) => void | Promise<void>,
  options: BrowserSignInOptions,
): Promise<KeptSignIn> {
  const { server } = attempt
  if (!(server.code_challenge_methods_supported ?? []).includes('S256'))
    throw signInFailed(attempt, 'authorization server', 'it does not support PKCE with S256', signInRules.pkce)
  if (!isSafeUrl(server.authorization_endpoint))
    throw signInFailed(attempt, 'authorization server', 'it has no authorization endpoint', signInRules.metadata)
  const loopback = await listenForReturn(options.limitMs ?? 300_000, attempt.signal)
  try {
    return await withLoopback(attempt, server.authorization_endpoint, loopback, open, options)
  } finally {
    loopback.close()
  }
}

async function withLoopback(
  attempt: PersonAttempt,
  authorizationEndpoint: string,
  loopback: Loopback,
  open: (url: URL) => void | Promise<void>,
  options: BrowserSignInOptions,
): Promise<KeptSignIn> {
  const { server, resource, scopes, trace } = attempt
  const { redirectUri } = loopback
  const known = await clientFor(
    attempt,
    {
      redirect_uris: [redirectUri],
      grant_types: ['authorization_code', 'refresh_token'],
      response_types: ['code'],
    },
    options,
  )
  const oauth = await import('oauth4webapi')
  const { client, auth } = knownClient(oauth, known)
  const verifier = oauth.generateRandomCodeVerifier()
  const state = oauth.generateRandomState()
  const url = new URL(authorizationEndpoint)
  const parameters = {
    response_type: 'code',
    client_id: known.clientId,
    redirect_uri: redirectUri,
    state,
    code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
    code_challenge_method: 'S256',
    resource,
    ...(scopes.length > 0 ? { scope: scopes.join(' ') } : {}),
  }
  for (const [name, value] of Object.entries(parameters)) url.searchParams.set(name, value)
  const validated = await trace.step(
    'authorization',
    async (_send, exchanges) => {
      exchanges.push({ method: 'GET', url: maskedUrl(url.href) })
      const shown = Promise.resolve(open(url)).then(() => loopback.returned())
      const returned = await Promise.race([loopback.returned(), shown]).catch((error) => {
        throw signInFailed(attempt, 'authorization', messageOf(error), signInRules.late)
      })
      try {
        return oauth.validateAuthResponse(server, client, returned, state)
      } catch (error) {
        throw signInFailed(attempt, 'authorization', reasonOf(error), ruleOf(error))
      }
    },
    () => 'the browser came back with a code',
  )
  return trace.step(
    'token',
    async (send) => {
      try {
        const response = await oauth.authorizationCodeGrantRequest(
          server,
          client,
          auth,
          validated,
          redirectUri,
          verifier,
          { ...requestOptions(send), additionalParameters: { resource } },
        )
        const grant = grantOf(await oauth.processAuthorizationCodeResponse(server, client, response), scopes)
        return {
          ...grant,
          resource,
          issuer: server.issuer,
          ...known,
        }
      } catch (error) {
        throw signInFailed(attempt, 'token', reasonOf(error), ruleOf(error))
      }
    },
    tokenDetail,
  )
}
