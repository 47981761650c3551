import { createServer } from 'node:http'
import { exportJWK, generateKeyPair } from 'jose'
import { escaped, page, signInPage } from './pages.mjs'
import { people, reporter } from './people.mjs'

/**
 * Starts an authorization server for the example, on this machine only.
 *
 * @param {{ port?: number, resource: string, lifeSeconds?: number, extra?: object }} options `resource`: URL of the server that its tokens are for
 * @returns {Promise<{ issuer: string, provider: import('oidc-provider').Provider, close: () => Promise<void> }>}
 */
export async function startProvider({ port = 0, resource, lifeSeconds = 600, extra = {} }) {
  let handle = (_request, response) => response.writeHead(503).end()
  const server = createServer((request, response) => handle(request, response))
  await new Promise((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, '127.0.0.1', resolve)
  })
  const issuer = `http://127.0.0.1:${server.address().port}`
  const configuration = await configurationFor(resource, lifeSeconds)
  const features = { ...configuration.features, ...extra.features }
  const provider = await withoutWarnings(async () => {
    const { default: Provider } = await import('oidc-provider')
    return new Provider(issuer, { ...configuration, ...extra, features })
  })
  const answer = provider.callback()
  handle = (request, response) => {
    if (!request.url?.startsWith('/sign-in/')) return answer(request, response)
    return signIn(provider, resource, request, response).catch((error) => {
      response.writeHead(400, htmlHeaders).end(page('This did not work', `<p>${escaped(error.name)}</p>`))
    })
  }
  return {
    issuer,
    provider,
    close: () =>
      new Promise((resolve) => {
        server.close(resolve)
        server.closeAllConnections()
      }),
  }
}

/** Hides the library's warnings about running on one machine with everything in memory, which is intended here. */
async function withoutWarnings(run) {
  const { warn } = console
  console.warn = () => {}
  try {
    return await run()
  } finally {
    console.warn = warn
  }
}

async function configurationFor(resource, lifeSeconds) {
  const { privateKey } = await generateKeyPair('RS256', { extractable: true })
  const scopes = ['hives.read', 'hives.write']
  const form = (html, title, context) => {
    context.type = 'html'
    context.body = page(title, html)
  }
  return {
    jwks: { keys: [{ ...(await exportJWK(privateKey)), kid: 'first', use: 'sig', alg: 'RS256' }] },
    cookies: { keys: [crypto.randomUUID()] },
    clients: [
      {
        client_id: reporter.id,
        client_secret: reporter.secret,
        grant_types: ['client_credentials'],
        redirect_uris: [],
        response_types: [],
      },
    ],
    pkce: { required: () => true },
    responseTypes: ['code'],
    scopes: ['openid', 'offline_access'],
    ttl: {
      AccessToken: lifeSeconds,
      ClientCredentials: lifeSeconds,
      DeviceCode: 600,
      Grant: 86_400,
      IdToken: 3600,
      Interaction: 3600,
      RefreshToken: 86_400,
      Session: 86_400,
    },
    clientBasedCORS: () => false,
    renderError: (context, { error, error_description: reason = '' }) =>
      form(`<p>${escaped(error)}: ${escaped(reason)}</p>`, 'This did not work', context),
    issueRefreshToken: async (_context, client) => client.grantTypeAllowed('refresh_token'),
    rotateRefreshToken: true,
    interactions: { url: (_context, { uid }) => `/sign-in/${uid}` },
    findAccount: (_context, accountId) =>
      people[accountId] && { accountId, claims: () => ({ sub: accountId, name: people[accountId].name }) },
    extraTokenClaims: (_context, { accountId }) => {
      const { name, role } = people[accountId] ?? { name: 'The night report', role: 'program' }
      return { name, role }
    },
    features: {
      devInteractions: { enabled: false },
      registration: { enabled: true },
      clientCredentials: { enabled: true },
      introspection: { enabled: true },
      revocation: { enabled: true },
      deviceFlow: {
        enabled: true,
        userCodeInputSource: (context, html) =>
          form(
            `<p>Type the code that your other device shows.</p>${html}
<button form="op.deviceInputForm">Continue</button>`,
            'Sign in a device',
            context,
          ),
        userCodeConfirmSource: (context, html, client, _info, code) =>
          form(
            `<p>Does <b>${escaped(client.clientName ?? client.clientId)}</b> show the code <code>${escaped(code)}</code>?</p>${html}
<button form="op.deviceConfirmForm">Yes, go on</button>`,
            'Sign in a device',
            context,
          ),
        successSource: (context) => form('<p>You can go back to your other device.</p>', 'Signed in', context),
      },
      resourceIndicators: {
        enabled: true,
        defaultResource: () => resource,
        useGrantedResource: () => true,
        getResourceServerInfo: (_context, asked) => {
          if (asked !== resource) throw new UnknownResource()
          return {
            scope: scopes.join(' '),
            audience: resource,
            accessTokenFormat: 'jwt',
            jwt: { sign: { alg: 'RS256' } },
          }
        },
      },
    },
  }
}

/** The error that RFC 8707 defines. */
class UnknownResource extends Error {
  error = 'invalid_target'
  error_description = 'this authorization server has no tokens for that resource'
  expose = true
  status = 400
  statusCode = 400
}

const htmlHeaders = {
  'content-type': 'text/html; charset=utf-8',
  'cache-control': 'no-store',
  'content-security-policy': "default-src 'none'; style-src 'unsafe-inline'",
}

/** Lists the people who can sign in, and grants the chosen person the scopes that they may have. */
async function signIn(provider, resource, request, response) {
  const details = await provider.interactionDetails(request, response)
  const { client_id: clientId, scope = '' } = details.params
  const wanted = String(scope)
    .split(' ')
    .filter((name) => name.startsWith('hives.'))
  if (request.method !== 'POST') {
    const client = await provider.Client.find(clientId)
    const shown = { client: client?.clientName ?? clientId, scopes: wanted, people, action: request.url }
    response.writeHead(200, htmlHeaders).end(signInPage(shown))
    return
  }
  const person = (await formOf(request)).get('person') ?? ''
  if (!Object.hasOwn(people, person)) {
    const refusal = { error: 'access_denied', error_description: 'the person refused' }
    await provider.interactionFinished(request, response, refusal)
    return
  }
  const grant = new provider.Grant({ clientId, accountId: person })
  grant.addOIDCScope('openid offline_access')
  const may = people[person].scopes
  for (const name of wanted)
    if (may.includes(name)) grant.addResourceScope(resource, name)
    else grant.rejectResourceScope(resource, name)
  const result = { login: { accountId: person, remember: false }, consent: { grantId: await grant.save() } }
  await provider.interactionFinished(request, response, result)
}

async function formOf(request) {
  let text = ''
  for await (const chunk of request) {
    text += chunk
    if (text.length > 10_000) throw new Error('the form is too long')
  }
  return new URLSearchParams(text)
}
