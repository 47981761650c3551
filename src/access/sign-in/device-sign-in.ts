import type { AuthorizationServer, DeviceAuthorizationResponse } from 'oauth4webapi'
import { oneLine } from '../../escape/one-line.js'
import { isSafeUrl } from '../issuer-metadata.js'
import { type Grant, grantOf, type KnownClient, knownClient, requestOptions } from './grant.js'
import { clientFor } from './known-client.js'
import { type PersonAttempt, type PersonSignInOptions, personSignIn, signInFailed } from './person-sign-in.js'
import { reasonOf, ruleOf, tokenDetail } from './reasons.js'
import { signInRules } from './rules.js'
import type { SignIn } from './sign-in.js'
import type { BoundedFetch } from './steps.js'
import type { KeptSignIn } from './store.js'

/** The code that the user enters on another device. */
export interface DeviceCode {
  /** The page to open. */
  url: string
  /** The code that the user enters there. */
  code: string
  /** The page with the code included, such as for a QR code. */
  completeUrl?: string
  expiresInMs: number
}

export interface DeviceSignInOptions extends PersonSignInOptions {
  /** Shows the user the page and the code. */
  show: (code: DeviceCode) => void | Promise<void>
}

/**
 * Signs a user in who has no browser on this machine (RFC 8628, device authorization grant): shows a page and a code to
 * enter on any other device, and polls the authorization server until the user is done.
 *
 * @example const link = await connect(url, { signIn: deviceSignIn({ show: ({ url, code }) => console.error(`${url}: ${code}`) }) })
 */
export function deviceSignIn(options: DeviceSignInOptions): SignIn {
  return personSignIn((attempt) => authorize(attempt, options), options)
}

/** Polling interval if the authorization server does not give one. */
const defaultIntervalSeconds = 5
const mostIntervalSeconds = 60

async function authorize(attempt: PersonAttempt, options: DeviceSignInOptions): Promise<KeptSignIn> {
  const { server, resource, scopes, trace } = attempt
  if (!isSafeUrl(server.device_authorization_endpoint))
    throw signInFailed(
      attempt,
      'authorization server',
      'it does not support the device flow',
      signInRules.deviceEndpoint,
    )
  const registration = { grant_types: [deviceGrant, 'refresh_token'], response_types: [] }
  const known = await clientFor(attempt, registration, options)
  const oauth = await import('oauth4webapi')
  const as = knownClient(oauth, known)
  const asked = await trace.step(
    'authorization',
    async (send) => {
      try {
        const parameters = { resource, ...(scopes.length > 0 ? { scope: scopes.join(' ') } : {}) }
        const response = await oauth.deviceAuthorizationRequest(
          server,
          as.client,
          as.auth,
          parameters,
          requestOptions(send),
        )
        return await oauth.processDeviceAuthorizationResponse(server, as.client, response)
      } catch (error) {
        throw signInFailed(attempt, 'authorization', reasonOf(error), ruleOf(error))
      }
    },
    ({ verification_uri: page }) => `the person opens ${page} and types the code there`,
  )
  await options.show(shown(attempt, asked))
  return trace.step(
    'token',
    async (send) => {
      const grant = await granted(attempt, asked, as, send, options)
      return { ...grant, resource, issuer: server.issuer, ...known }
    },
    tokenDetail,
  )
}

const deviceGrant = 'urn:ietf:params:oauth:grant-type:device_code'

/** Only http and https pages are shown to the user. */
function shown(attempt: PersonAttempt, asked: DeviceAuthorizationResponse): DeviceCode {
  const { verification_uri: url, verification_uri_complete: completeUrl, user_code: code } = asked
  if (!isSafeUrl(url))
    throw signInFailed(attempt, 'authorization', 'its verification_uri is not an https URL', signInRules.https)
  return {
    url: new URL(url).href,
    code: oneLine(code).slice(0, 100),
    ...(isSafeUrl(completeUrl) ? { completeUrl: new URL(completeUrl).href } : {}),
    expiresInMs: asked.expires_in * 1000,
  }
}

/** Polls for the token until the user is done, at the interval that the authorization server allows. */
async function granted(
  attempt: PersonAttempt,
  {
    device_code: deviceCode,
    interval = defaultIntervalSeconds,
    expires_in: lifeSeconds,
  }: DeviceAuthorizationResponse,
  { client, auth }: KnownClient,
  send: BoundedFetch,
  { limitMs = 300_000 }: DeviceSignInOptions,
): Promise<Grant> {
  const { server, resource, scopes, signal } = attempt
  const oauth = await import('oauth4webapi')
  const endsAtMs = Date.now() + Math.min(limitMs, lifeSeconds * 1000)
  for (let waitSeconds = interval; ; ) {
    await pause(Math.min(waitSeconds, mostIntervalSeconds) * 1000, endsAtMs, signal).catch((error) => {
      throw signInFailed(attempt, 'authorization', error.message, signInRules.late)
    })
    try {
      const options = { ...requestOptions(send), additionalParameters: { resource } }
      const response = await oauth.deviceCodeGrantRequest(
        server as AuthorizationServer,
        client,
        auth,
        deviceCode,
        options,
      )
      return grantOf(await oauth.processDeviceCodeResponse(server, client, response), scopes)
    } catch (error) {
      const { error: code } = error as { error?: unknown }
      // RFC 8628, section 3.5.
      if (code === 'slow_down') waitSeconds += 5
      else if (code !== 'authorization_pending')
        throw signInFailed(attempt, 'token', reasonOf(error), ruleOf(error))
    }
  }
}

/** Rejects with an `Error` when the time is over or the signal is aborted. */
function pause(waitMs: number, endsAtMs: number, signal: AbortSignal | undefined): Promise<void> {
  return new Promise((resolve, reject) => {
    const aborted = () => {
      clearTimeout(timer)
      reject(new Error('it was interrupted'))
    }
    const leftMs = endsAtMs - Date.now()
    const timer = setTimeout(
      () => {
        signal?.removeEventListener('abort', aborted)
        if (leftMs < waitMs) reject(new Error('nobody signed in within the time limit'))
        else resolve()
      },
      Math.max(0, Math.min(waitMs, leftMs)),
    )
    if (signal?.aborted) aborted()
    signal?.addEventListener('abort', aborted, { once: true })
  })
}
