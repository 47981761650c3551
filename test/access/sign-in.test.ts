import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { defineKit, tool } from 'jexo'
import {
  type BrowserSignInOptions,
  browserSignIn,
  clientCredentials,
  type DeviceCode,
  deviceSignIn,
  issuerTokens,
  memoryStore,
  type SignInStep,
} from 'jexo/access'
import { connect } from 'jexo/link'
import { type HttpService, serveHttp } from 'jexo/node'
import { decodeJwt } from 'jose'
import { discover } from '../../src/access/sign-in/discover.js'
import { readChallenge } from '../../src/access/sign-in/sign-in.js'
import { Issuer } from '../support/issuer.js'

const kit = defineKit({
  name: 'gated',
  version: '1.0.0',
  parts: [
    tool('who', { about: 'Who.', effect: 'read', run: (_, { identity }) => identity?.scopes.join(' ') ?? '' }),
    tool('move', { about: 'Moves.', effect: 'read', scopes: ['hives.write'], run: () => 'moved' }),
  ],
})

let issuer: Issuer
let service: HttpService
beforeEach(async () => {
  issuer = await Issuer.start()
  service = await serveHttp(kit, {
    access: issuerTokens({ issuer: issuer.url, scopes: ['mcp'], clockToleranceMs: 0 }),
  })
})
afterEach(async () => {
  await service.close()
  await issuer.close()
})

const text = async (link: Awaited<ReturnType<typeof connect>>, name: string) =>
  JSON.stringify((await link.call(name)).content)
/** A person who agrees at once, in a browser that follows redirects. */
const browser = (options: Partial<BrowserSignInOptions> = {}) =>
  browserSignIn({ limitMs: 2000, open: async (url) => void (await fetch(url)), ...options })
const parametersOf = (list: readonly URLSearchParams[], at = -1) => Object.fromEntries(list.at(at) ?? [])

test('a program signs in by itself, and requests more scopes when the server requires them', async () => {
  const link = await connect(service.url, {
    signIn: clientCredentials({ clientId: 'reporter', clientSecret: 's' }),
  })
  expect(await text(link, 'who')).toContain('"mcp"')
  expect(parametersOf(issuer.grants)).toMatchObject({
    grant_type: 'client_credentials',
    resource: service.url,
    scope: 'mcp',
  })
  expect(await text(link, 'move')).toContain('moved')
  expect(parametersOf(issuer.grants)).toMatchObject({ scope: 'mcp hives.write' })
  await link.close()
  const wrong = connect(service.url, { signIn: clientCredentials({ clientId: 'reporter' }) })
  await expect(wrong).rejects.toThrow(/signing in failed at the step "token" \(invalid_client/)
})

test('a program signs in with a private key instead of a secret', async () => {
  const { privateKey } = await crypto.subtle.generateKey({ name: 'ECDSA', namedCurve: 'P-256' }, true, [
    'sign',
    'verify',
  ])
  const link = await connect(service.url, { signIn: clientCredentials({ clientId: 'reporter', privateKey }) })
  expect(await text(link, 'who')).toContain('"mcp"')
  const { client_assertion: assertion = '', ...form } = parametersOf(issuer.grants)
  expect(form.client_assertion_type).toBe('urn:ietf:params:oauth:client-assertion-type:jwt-bearer')
  expect(decodeJwt(assertion)).toMatchObject({ iss: 'reporter', sub: 'reporter', aud: issuer.url })
  await link.close()
})

describe('a device without a browser', () => {
  const shown: DeviceCode[] = []
  const device = (limitMs = 5000) => deviceSignIn({ limitMs, show: (code) => void shown.push(code) })

  test('shows a code, and polls until the person has finished', async () => {
    issuer.deviceAnswers = ['authorization_pending', 'authorization_pending']
    const link = await connect(service.url, { signIn: device() })
    expect(shown.at(-1)).toStrictEqual({ url: `${issuer.url}/activate`, code: 'WDJB-MJHT', expiresInMs: 60_000 })
    expect(await text(link, 'who')).toContain('"mcp"')
    expect(issuer.grants.map((form) => form.get('grant_type'))).toHaveLength(3)
    await link.close()
  })

  test.each<[string, () => void, RegExp]>([
    ['is refused by the person', () => issuer.deviceAnswers.push('access_denied'), /step "token" \(access_denied/],
    ['waits too long', () => issuer.deviceAnswers.push('expired_token'), /step "token" \(expired_token/],
    [
      'gets no end of "later"',
      () => issuer.deviceAnswers.push(...Array.from({ length: 200 }, () => 'authorization_pending')),
      /nobody signed in within the time limit/,
    ],
    [
      'is sent to a page that is not a web page',
      () => {
        issuer.device = { verification_uri: 'javascript:alert(1)' }
      },
      /verification_uri is not an https URL/,
    ],
    [
      'meets a server without the device flow',
      () => {
        issuer.metadata = { device_authorization_endpoint: undefined }
      },
      /it does not support the device flow/,
    ],
  ])('%s', async (_what, misbehave, said) => {
    misbehave()
    await expect(connect(service.url, { signIn: device(600) })).rejects.toThrow(said)
  })
})

test('every step is reported with masked values, and a failure with its rule and who must fix it', async () => {
  const steps: SignInStep[] = []
  const onStep = (step: SignInStep) => void steps.push(step)
  await (await connect(service.url, { signIn: browser({ onStep }) })).close()
  expect(steps.map(({ stage }) => stage)).toStrictEqual([
    'challenge',
    'metadata',
    'authorization server',
    'registration',
    'authorization',
    'token',
    'retry',
  ])
  expect(JSON.stringify(steps)).not.toMatch(/eyJ|code_verifier":"[^•]|refresh_token":"[^•]/)
  steps.length = 0
  issuer.metadata = { code_challenge_methods_supported: ['plain'] }
  await expect(connect(service.url, { signIn: browser({ onStep }) })).rejects.toThrow()
  issuer.metadata = { issuer: 'https://evil.example' }
  await expect(connect(service.url, { signIn: browser({ onStep }) })).rejects.toThrow()
  const failures = steps.filter(({ outcome }) => outcome === 'failure')
  expect(failures.map(({ stage, rule, fixedBy }) => [stage, rule?.slice(0, 8), fixedBy])).toStrictEqual([
    ['authorization server', 'Authoriz', 'authorization server'],
    ['authorization server', 'RFC 8414', 'authorization server'],
  ])
})

test('the time limit of a request does not run while a person signs in', async () => {
  const slow = browser({
    open: async (url) => {
      await new Promise((resolve) => setTimeout(resolve, 400))
      await fetch(url)
    },
  })
  const link = await connect(service.url, { signIn: slow, timeoutMs: 200 })
  expect(await text(link, 'who')).toContain('"mcp"')
  await link.close()
})

test('a person signs in with a browser: registration, PKCE, resource, state; more scopes are added later', async () => {
  const link = await connect(service.url, { signIn: browser({ clientName: 'Desk' }) })
  expect(parametersOf(issuer.authorizations)).toMatchObject({
    response_type: 'code',
    client_id: 'registered Desk',
    code_challenge_method: 'S256',
    resource: service.url,
    scope: 'mcp',
    redirect_uri: expect.stringMatching(/^http:\/\/127\.0\.0\.1:\d+\/[\w-]{36}$/),
  })
  expect(parametersOf(issuer.grants)).toMatchObject({ grant_type: 'authorization_code', resource: service.url })
  expect(await text(link, 'move')).toContain('moved')
  expect(parametersOf(issuer.authorizations)).toMatchObject({ scope: 'mcp hives.write' })
  await link.close()
})

test("tokens are kept, refreshed before they expire, and rotated; two links do not overwrite each other's", async () => {
  const store = memoryStore()
  issuer.lifeSeconds = 31
  const signIn = browser({ store })
  const link = await connect(service.url, { signIn })
  const first = await store.read(service.url)
  expect(first).toMatchObject({ issuer: issuer.url, clientId: 'registered Jexo', scopes: ['mcp'] })
  await new Promise((resolve) => setTimeout(resolve, 1100))
  const other = await connect(service.url, {
    signIn: browser({
      store,
      open: () => {
        throw new Error('nobody is asked again')
      },
    }),
  })
  await Promise.all([text(link, 'who'), text(other, 'who'), text(link, 'who')])
  expect((await store.read(service.url))?.refreshToken).not.toBe(first?.refreshToken)
  expect(issuer.authorizations).toHaveLength(1)
  expect(new Set(issuer.grants.map((form) => form.get('grant_type')))).toStrictEqual(
    new Set(['authorization_code', 'refresh_token']),
  )
  await Promise.all([link.close(), other.close()])
})

test.each<[string, () => void, RegExp]>([
  [
    'comes back with another state',
    () => {
      issuer.returns = { state: 'other' }
    },
    /step "authorization" \(.*state/,
  ],
  [
    'is another one than it says (iss)',
    () => {
      issuer.returns = { iss: 'https://evil.example' }
    },
    /step "authorization" \(.*iss/,
  ],
  [
    'leaves its name out though it says it sends it',
    () => {
      issuer.returns = { iss: undefined }
    },
    /step "authorization" \(.*iss/,
  ],
  [
    'refuses the person',
    () => {
      issuer.returns = { code: undefined, error: 'access_denied', error_description: 'not today' }
    },
    /step "authorization" \(access_denied: not today/,
  ],
  [
    'knows no S256',
    () => {
      issuer.metadata = { code_challenge_methods_supported: ['plain'] }
    },
    /does not support PKCE with S256/,
  ],
  [
    'has metadata of another',
    () => {
      issuer.metadata = { issuer: 'https://evil.example' }
    },
    /step "authorization server" \(.*is the metadata of/,
  ],
  [
    'has an endpoint without https',
    () => {
      issuer.metadata = { token_endpoint: 'http://10.0.0.1/token' }
    },
    /its token_endpoint is not a public https URL/,
  ],
  [
    'registers nobody',
    () => {
      issuer.metadata = { registration_endpoint: undefined }
    },
    /step "registration" \(it does not support client registration/,
  ],
  [
    'sends without end',
    () => {
      issuer.metadata = { padding: 'x'.repeat(1_100_000) }
    },
    /longer than 1000000 bytes/,
  ],
  [
    'gives too little for ever',
    () => {
      issuer.grantsScopes = 'less'
    },
    /did not grant "mcp"/,
  ],
])('an authorization server that %s is refused', async (_what, misbehave, said) => {
  misbehave()
  await expect(connect(service.url, { signIn: browser() })).rejects.toThrow(said)
  expect(issuer.authorizations.length).toBeLessThan(4)
})

test('a sign-in that is never completed times out, and one can be interrupted', async () => {
  await expect(connect(service.url, { signIn: browser({ open: () => {}, limitMs: 50 }) })).rejects.toThrow(
    /nobody signed in within 0 s/,
  )
  const stopping = AbortSignal.timeout(50)
  await expect(connect(service.url, { signIn: browser({ open: () => {}, signal: stopping }) })).rejects.toThrow(
    /it was interrupted/,
  )
})

/** A server that refuses every request, with configurable metadata. */
async function refusing(metadata: (url: string) => unknown, challenge: (url: string) => string) {
  const asked: string[] = []
  const server = createServer((request, response) => {
    asked.push(request.url ?? '')
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
    const found = request.url?.includes('oauth-protected-resource') ? metadata(url) : undefined
    if (found)
      return void response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(found))
    response.writeHead(request.url === '/mcp' ? 401 : 404, { 'www-authenticate': challenge(url) }).end()
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  return {
    asked,
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp`,
    close: () => server.close(),
  }
}

test('metadata is found by challenge, path and root, on the server only; metadata of another resource is refused', async () => {
  const signIn = () => clientCredentials({ clientId: 'x', clientSecret: 's' })
  const foreign = await refusing(
    () => ({ resource: 'https://other.example/mcp', authorization_servers: [issuer.url] }),
    () => 'Bearer',
  )
  await expect(connect(foreign.url, { signIn: signIn() })).rejects.toThrow(
    /step "metadata" \(the metadata describes another resource/,
  )
  const elsewhere = await refusing(
    () => undefined,
    () => `Bearer resource_metadata="${issuer.url}/keys"`,
  )
  await expect(connect(elsewhere.url, { signIn: signIn() })).rejects.toThrow(/step "token"/)
  expect(elsewhere.asked.filter((path) => path.includes('protected-resource'))).toStrictEqual([
    '/.well-known/oauth-protected-resource/mcp',
    '/.well-known/oauth-protected-resource',
  ])
  expect(issuer.requests).not.toContain('/keys')
  // The server is its own authorization server, as in the revision without metadata.
  expect(elsewhere.asked.at(-1)).toBe('/token')
  foreign.close()
  elsewhere.close()
})

test.each([
  [
    'Bearer resource_metadata="https://a/b", scope="a b", error="invalid_token"',
    { metadataUrl: 'https://a/b', scope: 'a b', error: 'invalid_token' },
  ],
  ['Basic realm="x", Bearer scope=one', { scope: 'one' }],
  ['bearer error="insufficient_scope",scope="q\\"x"', { error: 'insufficient_scope', scope: 'q"x' }],
  ['Basic realm="Bearer"', {}],
  [null, {}],
])('the challenge %j is read', (header, expected) => {
  expect(readChallenge(header)).toStrictEqual(expected)
})

test('a public server cannot lead the client into the private network', async () => {
  const realFetch = globalThis.fetch
  const asked: string[] = []
  const answers: Record<string, unknown> = {
    'https://far.example/.well-known/oauth-protected-resource/mcp': {
      resource: 'https://far.example/mcp',
      authorization_servers: [issuer.url],
    },
    'https://near.example/.well-known/oauth-protected-resource/mcp': {
      resource: 'https://near.example/mcp',
      authorization_servers: ['https://id.example'],
    },
    'https://id.example/.well-known/oauth-authorization-server': {
      issuer: 'https://id.example',
      token_endpoint: 'https://192.168.1.1/token',
    },
  }
  globalThis.fetch = (async (input: RequestInfo | URL) => {
    asked.push(String(input))
    const answer = answers[String(input)]
    return answer ? Response.json(answer) : new Response(null, { status: 404 })
  }) as typeof fetch
  try {
    for (const host of ['far', 'near'])
      await expect(discover(new URL(`https://${host}.example/mcp`), {})).rejects.toThrow(
        /not a public https URL|no authorization server with a public https URL/,
      )
  } finally {
    globalThis.fetch = realFetch
  }
  expect(asked.filter((url) => url.startsWith(issuer.url) || url.includes('192.168'))).toStrictEqual([])
})
