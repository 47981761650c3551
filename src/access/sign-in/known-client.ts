import type { AuthorizationServer } from 'oauth4webapi'
import { accessErrors } from '../errors.js'
import { type ClientId, requestOptions } from './grant.js'
import { type PersonAttempt, type PersonSignInOptions, signInFailed } from './person-sign-in.js'
import { reasonOf } from './reasons.js'
import { signInRules } from './rules.js'
import type { BoundedFetch } from './steps.js'
import type { KeptSignIn } from './store.js'

/** Metadata for the registration of a program. */
export interface Registration {
  redirect_uris?: string[]
  grant_types: string[]
  response_types: string[]
}

/** The client identity of this program: a given id, a metadata document, or a registration, in this order. */
export async function clientFor(
  attempt: PersonAttempt,
  registration: Registration,
  options: PersonSignInOptions,
): Promise<ClientId> {
  const { server, now, trace } = attempt
  const { clientId, clientSecret, clientMetadataUrl, clientName = 'Jexo' } = options
  if (clientId !== undefined) {
    trace.note('registration', `not needed: the client id ${clientId} was given`)
    return { clientId, ...(clientSecret === undefined ? {} : { clientSecret }) }
  }
  if (clientMetadataUrl !== undefined && server.client_id_metadata_document_supported === true) {
    trace.note('registration', `not needed: ${clientMetadataUrl} describes this client`)
    return { clientId: clientMetadataUrl }
  }
  return trace.step(
    'registration',
    async (send) => {
      if (server.registration_endpoint !== undefined)
        return register(server, registration, clientName, send).catch((error) => {
          // Such a server probably issues tokens manually.
          if (attempt.isAssumed) throw accessErrors.tokenNeeded(attempt.endpoint.href, true)
          throw signInFailed(attempt, 'registration', reasonOf(error), signInRules.registration)
        })
      if (now && now.issuer === server.issuer) return clientOf(now)
      throw signInFailed(
        attempt,
        'registration',
        'it does not support client registration; get a client id from its operator, and pass it with --client-id (clientId in code)',
        signInRules.noRegistration,
      )
    },
    ({ clientId: id }) => `registered as ${id}`,
  )
}

async function register(
  server: AuthorizationServer,
  registration: Registration,
  clientName: string,
  send: BoundedFetch,
): Promise<ClientId> {
  const oauth = await import('oauth4webapi')
  const wanted = { client_name: clientName, ...registration, token_endpoint_auth_method: authFor(server) }
  const received = await oauth.dynamicClientRegistrationRequest(server, wanted, requestOptions(send))
  // Some authorization servers answer 200 where the standard requires 201.
  const response =
    received.status === 200
      ? new Response(await received.text(), { status: 201, headers: received.headers })
      : received
  const registered = await oauth.processDynamicClientRegistrationResponse(response)
  const { client_id: clientId, client_secret: secret, token_endpoint_auth_method: method } = registered
  return {
    clientId,
    ...(typeof secret === 'string' && method !== 'none' ? { clientSecret: secret } : {}),
    ...(method === 'client_secret_post' ? { clientAuth: method } : {}),
  }
}

/** A program on a user's machine is a public client, unless the authorization server requires a secret. */
function authFor({ token_endpoint_auth_methods_supported: supported }: AuthorizationServer): string {
  if (!Array.isArray(supported) || supported.length === 0 || supported.includes('none')) return 'none'
  return ['client_secret_basic', 'client_secret_post'].find((method) => supported.includes(method)) ?? 'none'
}

const clientOf = ({ clientId, clientSecret, clientAuth }: KeptSignIn): ClientId => ({
  clientId,
  ...(clientSecret === undefined ? {} : { clientSecret }),
  ...(clientAuth === undefined ? {} : { clientAuth }),
})
