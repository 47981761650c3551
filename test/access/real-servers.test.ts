import { type BrowserSignInOptions, browserSignIn, clientCredentials, memoryStore, type SignIn } from 'jexo/access'
import { connect } from 'jexo/link'
import { type HttpService, serveHttp } from 'jexo/node'
import { exportJWK, generateKeyPair } from 'jose'
import kit from '../../examples/gated-apiary/gated.kit.js'
import { startProvider } from '../../examples/gated-apiary/identity/provider.mjs'
import { issuerTokens } from '../../src/access/issuer-tokens.js'
import { Running } from '../support/cli.js'
import { Glewlwyd } from '../support/glewlwyd.js'
import { signInAs } from '../support/person.js'

/** A port for the server, chosen before the authorization server starts, which needs the URL. */
const port = 20_000 + (process.pid % 10_000)
const resource = `http://127.0.0.1:${port}/mcp`
let service: HttpService | undefined
const serve = async (issuer: string) => {
  service = await serveHttp(kit, { port, access: issuerTokens({ issuer, scopes: ['hives.read'] }) })
}
afterEach(async () => {
  await service?.close()
  service = undefined
})
afterAll(() => Running.endAll())

const textOf = async (signIn: SignIn, tool: string, args = {}) => {
  const link = await connect(resource, { signIn })
  try {
    return JSON.stringify((await link.call(tool, args)).content)
  } finally {
    await link.close()
  }
}
const move = { hive: 'ML-04', site: 'Orchard End' }

describe('oidc-provider', () => {
  const as = (person: string, options: Partial<BrowserSignInOptions> = {}) => {
    const opened: URL[] = []
    const open = async (url: URL) => {
      opened.push(url)
      await signInAs(person, url.href)
    }
    return { signIn: browserSignIn({ open, limitMs: 10_000, ...options }), opened }
  }

  test('registration, code with PKCE, step-up for permitted users, refusal for others, hidden tools', async () => {
    const provider = await startProvider({ resource })
    await serve(provider.issuer)
    const odo = as('odo')
    expect(await textOf(odo.signIn, 'who_am_i')).toContain('Odo')
    expect(await textOf(odo.signIn, 'move_hive', move)).toContain('Odo moved ML-04')
    expect(odo.opened.map((url) => url.searchParams.get('scope'))).toStrictEqual([
      'hives.read',
      'hives.read hives.write',
    ])
    await expect(textOf(odo.signIn, 'close_site', { site: 'Orchard End' })).rejects.toThrow(/close_site/)
    const fay = as('fay')
    await expect(textOf(fay.signIn, 'move_hive', move)).rejects.toThrow(
      /the authorization server did not grant "hives\.write"/,
    )
    // The existing sign-in covers what fay may do; nobody is asked again.
    expect(await textOf(fay.signIn, 'weigh_hive', { hive: 'ML-04' })).toContain('Orchard End')
    expect(fay.opened).toHaveLength(2)
    expect(await textOf(as('wilma').signIn, 'who_am_i')).toContain('Wilma')
    await expect(textOf(as('').signIn, 'who_am_i')).rejects.toThrow(/access_denied: the person refused/)
    await provider.close()
  })

  test('refresh with rotation, and a new sign-in after revocation', async () => {
    const provider = await startProvider({ resource, lifeSeconds: 31 })
    await serve(provider.issuer)
    const store = memoryStore()
    const odo = as('odo', { store })
    expect(await textOf(odo.signIn, 'who_am_i')).toContain('Odo')
    const first = await store.read(resource)
    await new Promise((resolve) => setTimeout(resolve, 1100))
    expect(await textOf(odo.signIn, 'who_am_i')).toContain('Odo')
    const second = await store.read(resource)
    expect(second?.refreshToken).not.toBe(first?.refreshToken)
    expect(odo.opened).toHaveLength(1)
    const revoked = await fetch(`${provider.issuer}/token/revocation`, {
      method: 'POST',
      body: new URLSearchParams({ client_id: second?.clientId ?? '', token: second?.refreshToken ?? '' }),
    })
    expect(revoked.status).toBe(200)
    await store.update(resource, async (now) => now && { ...now, accessToken: 'no longer valid' })
    expect(await textOf(odo.signIn, 'who_am_i')).toContain('Odo')
    expect(odo.opened).toHaveLength(2)
    await provider.close()
  })

  test('a client id metadata document replaces registration', async () => {
    const clientMetadataUrl = 'https://desk.example/client.json'
    let document: object = {}
    const features = { clientIdMetadataDocument: { enabled: true, ack: 'draft-02' } }
    const provider = await startProvider({
      resource,
      extra: { features, fetch: async () => Response.json(document, { headers: { 'cache-control': 'no-store' } }) },
    })
    await serve(provider.issuer)
    const open = async (url: URL) => {
      const redirect = url.searchParams.get('redirect_uri')
      document = {
        client_id: clientMetadataUrl,
        client_name: 'Desk',
        redirect_uris: [redirect],
        token_endpoint_auth_method: 'none',
        grant_types: ['authorization_code', 'refresh_token'],
      }
      await signInAs('odo', url.href)
    }
    const store = memoryStore()
    const signIn = browserSignIn({ open, limitMs: 10_000, clientMetadataUrl, store })
    expect(await textOf(signIn, 'who_am_i')).toContain('Odo')
    expect((await store.read(resource))?.clientId).toBe(clientMetadataUrl)
    await provider.close()
  })

  test('client credentials, and keys that change during a session', async () => {
    const keys = await Promise.all(
      ['first', 'second'].map(async (kid) => ({
        ...(await exportJWK((await generateKeyPair('RS256', { extractable: true })).privateKey)),
        kid,
        use: 'sig',
        alg: 'RS256',
      })),
    )
    const before = await startProvider({ resource, extra: { jwks: { keys: [keys[0]] } } })
    await serve(before.issuer)
    const program = () => clientCredentials({ clientId: 'night-report', clientSecret: 'only-for-this-example' })
    const link = await connect(resource, { signIn: program() })
    expect(JSON.stringify((await link.call('who_am_i')).content)).toContain('The night report')
    await before.close()
    const after = await startProvider({
      resource,
      port: Number(new URL(before.issuer).port),
      extra: { jwks: { keys: [keys[1], keys[0]] } },
    })
    expect(await textOf(program(), 'who_am_i')).toContain('The night report')
    expect(JSON.stringify((await link.call('weigh_hive', { hive: 'ML-01' })).content)).toContain('41.2')
    await link.close()
    await after.close()
  })
})

test('glewlwyd: an issuer with a path, registration with a secret, step-up, refresh, and client credentials', async () => {
  const glewlwyd = await Glewlwyd.start(resource)
  await serve(glewlwyd.issuer)
  const store = memoryStore()
  let opened = 0
  const signIn = browserSignIn({
    store,
    limitMs: 10_000,
    open: (url) => {
      opened++
      return glewlwyd.agree(url)
    },
  })
  expect(await textOf(signIn, 'who_am_i')).toContain('hives.read')
  expect(await textOf(signIn, 'move_hive', move)).toContain('moved ML-04')
  expect(opened).toBe(2)
  const before = await store.read(resource)
  expect(before?.clientSecret).toStrictEqual(expect.any(String))
  await store.update(resource, async (now) => now && { ...now, expiresAtMs: Date.now() })
  expect(await textOf(signIn, 'who_am_i')).toContain('hives.write')
  expect((await store.read(resource))?.accessToken).not.toBe(before?.accessToken)
  expect(opened).toBe(2)
  const program = clientCredentials({ clientId: 'night-report', clientSecret: 'only-for-this-test' })
  expect(await textOf(program, 'weigh_hive', { hive: 'ML-01' })).toContain('41.2')
  await glewlwyd.end()
})
