import { rmSync, writeFileSync } from 'node:fs'
import { defineKit, prompt, resource, template, tool } from 'jexo'
import { type AccessCheck, anyOf, introspectedTokens, issuerTokens, namedTokens, trustedProxy } from 'jexo/access'
import { fetchHandler } from 'jexo/fetch'
import { connect } from 'jexo/link'
import { serveHttp } from 'jexo/node'
import { z } from 'zod'
import { sha256Of, tokenFileText } from '../../src/access/token-file.js'
import { written } from '../support/cli.js'
import { Issuer } from '../support/issuer.js'

const resourceUri = 'https://hives.example/mcp'
const read = { effect: 'read', about: 'Reads.' } as const
const kit = defineKit({
  name: 'gated',
  version: '1.0.0',
  title: 'Gated hives',
  websiteUrl: 'https://hives.example/docs',
  parts: [
    tool('who', {
      ...read,
      run: (_, { identity }) => JSON.stringify(identity && { ...identity, claims: undefined }),
    }),
    tool('move', { ...read, scopes: ['hives.write', 'hives.read'], run: () => 'moved' }),
    tool('boss', { ...read, visibleTo: ({ claims }) => claims.role === 'boss', run: () => 'yes' }),
    tool('broken', {
      ...read,
      visibleTo: () => {
        throw new Error('no')
      },
      run: () => 'never',
    }),
    tool('other_api', {
      ...read,
      run: async (_, { identity }) =>
        (await identity?.exchange?.({ audience: 'weather', scopes: ['w'] })) ?? 'none',
    }),
    resource('hives://all', { name: 'all', about: 'All.', scopes: ['hives.read'], read: () => 'all' }),
    template('hives://{hive}', {
      name: 'hive',
      about: 'One.',
      scopes: ['hives.read'],
      complete: { hive: () => [] },
      read: () => 'one',
    }),
    prompt('letter', {
      about: 'A letter.',
      scopes: ['letters'],
      input: z.object({ to: z.string() }),
      run: () => 'x',
    }),
  ],
})

let issuer: Issuer
beforeAll(async () => {
  issuer = await Issuer.start()
})
afterAll(() => issuer.close())

/** A handler with an access check that sends one JSON-RPC request after the other. */
function gate(access: AccessCheck, options: object = {}) {
  const handler = fetchHandler(kit, {
    access,
    publicUrl: resourceUri,
    allowedHosts: ['hives.example'],
    report: () => {},
    ...options,
  })
  const send = (
    token: string | undefined,
    method: string,
    path: string,
    body?: object,
    headers: Record<string, string> = {},
  ) =>
    handler(
      new Request(`https://hives.example${path}`, {
        method,
        headers: {
          'content-type': 'application/json',
          accept: 'application/json, text/event-stream',
          ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
          ...headers,
        },
        ...(body ? { body: JSON.stringify(body) } : {}),
      }),
    )
  const ask = (token: string | undefined, method: string, params: object = {}, headers = {}) =>
    send(token, 'POST', '/mcp', { jsonrpc: '2.0', id: 1, method, params }, headers)
  const open = async (token: string) => {
    const opened = await ask(token, 'initialize', {
      protocolVersion: '2025-11-25',
      capabilities: {},
      clientInfo: { name: 't', version: '1' },
    })
    const session = { 'mcp-session-id': opened.headers.get('mcp-session-id') ?? '' }
    await send(token, 'POST', '/mcp', { jsonrpc: '2.0', method: 'notifications/initialized' }, session)
    return session
  }
  return { handler, send, ask, open }
}
const challengeOf = (response: Response) => response.headers.get('www-authenticate')
const pageUrl = 'https://hives.example/.well-known/oauth-protected-resource/mcp'
const call = (name: string) => ({ name, arguments: {} })

describe('issuer tokens', () => {
  const access = () => issuerTokens({ issuer: issuer.url, scopes: ['mcp'] })
  const good = (claims = {}) => issuer.token(resourceUri, { scope: 'mcp', ...claims })

  test('are required for every path and method except health, preflights and metadata', async () => {
    const { send, open } = gate(access(), {
      routes: { '/metrics': async () => ({ status: 200, headers: {}, body: 'x' }) },
    })
    const session = await open(await good())
    for (const path of ['/mcp', '/mcp?access_token=x', '/sse', '/sse?session=1', '/metrics'])
      for (const method of ['GET', 'POST', 'DELETE', 'PUT', 'PATCH', 'HEAD']) {
        const response = await send(undefined, method, path, method === 'POST' ? {} : undefined, session)
        expect([path, method, response.status, challengeOf(response)]).toStrictEqual([
          path,
          method,
          401,
          `Bearer resource_metadata="${pageUrl}", scope="mcp"`,
        ])
      }
    for (const path of [
      '/health/live',
      '/health/ready',
      '/.well-known/oauth-protected-resource',
      '/.well-known/oauth-protected-resource/mcp',
    ])
      expect((await send(undefined, 'GET', path)).status).toBe(200)
    expect((await send(undefined, 'GET', '/.well-known/other')).status).toBe(404)
  })

  test('metadata names the authorization server, for pages of any origin', async () => {
    const { send, handler } = gate(access())
    for (const path of ['/.well-known/oauth-protected-resource', '/.well-known/oauth-protected-resource/mcp']) {
      const response = await send(undefined, 'GET', path, undefined, { origin: 'https://other.example' })
      expect(response.headers.get('access-control-allow-origin')).toBe('*')
      expect(await response.json()).toStrictEqual({
        resource: resourceUri,
        authorization_servers: [issuer.url],
        scopes_supported: ['mcp', 'hives.write', 'hives.read', 'letters'],
        bearer_methods_supported: ['header'],
        resource_name: 'Gated hives',
        resource_documentation: 'https://hives.example/docs',
      })
    }
    const elsewhere = new Request('https://evil.example/.well-known/oauth-protected-resource')
    expect((await handler(elsewhere)).status).toBe(403)
    expect((await send(undefined, 'OPTIONS', '/.well-known/oauth-protected-resource')).status).toBe(204)
    expect((await send(undefined, 'POST', '/.well-known/oauth-protected-resource')).status).toBe(405)
  })

  const now = () => Math.floor(Date.now() / 1000)
  test.each<[string, () => Promise<string> | string, RegExp]>([
    ['for another server', () => issuer.token('https://other.example/mcp', { scope: 'mcp' }), /for another server/],
    ['of another issuer', () => good({ iss: 'https://other.example' }), /issued by another authorization server/],
    ['that has expired', () => good({ exp: now() - 60 }), /has expired/],
    ['without an end', () => good({ exp: undefined }), /no expiry time/],
    ['that is not valid yet', () => good({ nbf: now() + 300 }), /not valid yet/],
    ['without a signature', () => issuer.token(resourceUri, {}, { algorithm: 'none' }), /algorithm|signed/],
    ['of a key that does not exist', () => issuer.token(resourceUri, {}, { key: 'unknown' }), /does not have/],
    [
      'of a key of the same name',
      () => issuer.token(resourceUri, {}, { key: 'stranger', kid: 'one' }),
      /not a valid signed token/,
    ],
    ['without a subject', () => good({ sub: undefined, client_id: undefined }), /has no subject/],
    ['that is no token', () => 'abc', /not a valid signed token/],
    ['of two words', () => 'a b', /not a valid/],
    ['that is very long', () => 'x'.repeat(100_000), /too long/],
  ])('a token %s is refused', async (_what, make, reason) => {
    const response = await gate(access()).ask(await make(), 'initialize')
    expect(response.status).toBe(401)
    expect(challengeOf(response)).toMatch(
      /^Bearer resource_metadata="[^"]+", scope="mcp", error="invalid_token", error_description="[^"]+"$/,
    )
    expect(challengeOf(response)).toMatch(reason)
  })

  test('allow small clock differences, and a list of audiences that includes this one', async () => {
    const { ask } = gate(access())
    for (const claims of [{ exp: now() - 10 }, { nbf: now() + 10 }, { aud: ['https://a.example', resourceUri] }])
      expect((await ask(await good(claims), 'initialize')).status).not.toBe(401)
  })

  test('with too few scopes return 403 with all required scopes; hidden parts appear not to exist', async () => {
    const { ask, open } = gate(access())
    const token = await good()
    const session = await open(token)
    expect((await ask(await good({ scope: 'other' }), 'tools/list', {}, session)).status).toBe(403)
    const rows: [string, object, string | undefined][] = [
      ['tools/call', call('who'), undefined],
      ['tools/call', call('move'), 'mcp hives.write hives.read'],
      ['resources/read', { uri: 'hives://all' }, 'mcp hives.read'],
      ['resources/read', { uri: 'hives://ML-04' }, 'mcp hives.read'],
      ['resources/subscribe', { uri: 'hives://all' }, 'mcp hives.read'],
      [
        'completion/complete',
        { ref: { type: 'ref/resource', uri: 'hives://{hive}' }, argument: { name: 'hive', value: '' } },
        'mcp hives.read',
      ],
      ['prompts/get', { name: 'letter', arguments: { to: 'x' } }, 'mcp letters'],
      ['tools/call', call('nothing'), undefined],
    ]
    for (const [method, params, scope] of rows) {
      const response = await ask(token, method, params, session)
      expect([method, response.status]).toStrictEqual([method, scope === undefined ? 200 : 403])
      if (scope !== undefined)
        expect(challengeOf(response)).toContain(
          `Bearer error="insufficient_scope", scope="${scope}", resource_metadata="${pageUrl}"`,
        )
    }
    // The same session with a token that has more scopes.
    const more = await good({ scope: 'mcp hives.read', scp: ['hives.write'] })
    expect((await ask(more, 'tools/call', call('move'), session)).status).toBe(200)
    const names = async (given: string) => {
      const { result } = (await (await ask(given, 'tools/list', {}, session)).json()) as {
        result: { tools: { name: string }[] }
      }
      return result.tools.map(({ name }) => name)
    }
    expect(await names(token)).toStrictEqual(['who', 'move', 'other_api'])
    expect(await names(await good({ role: 'boss' }))).toStrictEqual(['who', 'move', 'boss', 'other_api'])
    expect(JSON.stringify(await (await ask(token, 'tools/call', call('boss'), session)).json())).toContain(
      'unknown tool',
    )
  })

  test('bind a session to the caller who opened it', async () => {
    const { ask, send, open } = gate(access())
    const session = await open(await good())
    const other = await good({ sub: 'bo' })
    expect((await ask(other, 'tools/list', {}, session)).status).toBe(404)
    for (const method of ['GET', 'DELETE'])
      expect((await send(other, method, '/mcp', undefined, session)).status).toBe(404)
    expect((await ask(await good(), 'tools/list', {}, session)).status).toBe(200)
  })

  test('become call.identity, which can get tokens for other APIs', async () => {
    const { ask, open } = gate(issuerTokens({ issuer: issuer.url, client: { id: 'server', secret: 's&cret' } }))
    const token = await good({ scope: 'a *' })
    const session = await open(token)
    const text = async (name: string) =>
      (
        (await (await ask(token, 'tools/call', call(name), session)).json()) as {
          result: { content: { text: string }[] }
        }
      ).result.content[0]?.text ?? ''
    expect(JSON.parse(await text('who'))).toStrictEqual({
      subject: 'ada',
      issuer: issuer.url,
      clientId: 'desk',
      scopes: ['a'],
    })
    expect(await text('other_api')).toBe('for weather 1')
    expect(await text('other_api')).toBe('for weather 1')
    // Another program of the same person may have fewer permissions, and gets a token of its own.
    const other = await good({ scope: 'a', client_id: 'other' })
    const through = await ask(other, 'tools/call', call('other_api'), session)
    expect(JSON.stringify(await through.json())).toContain('for weather 2')
    expect(Object.fromEntries(issuer.exchanged[0] ?? [])).toMatchObject({
      grant_type: 'urn:ietf:params:oauth:grant-type:token-exchange',
      subject_token: token,
      audience: 'weather',
      scope: 'w',
    })
  })

  test('end a stream when they expire', async () => {
    const { send, open } = gate(issuerTokens({ issuer: issuer.url, clockToleranceMs: 0 }))
    const token = await issuer.token(resourceUri, { exp: Date.now() / 1000 + 1.5 })
    const session = await open(token)
    const stream = await send(token, 'GET', '/mcp', undefined, { ...session, accept: 'text/event-stream' })
    const startedAt = Date.now()
    await stream.text()
    expect(Date.now() - startedAt).toBeLessThan(5000)
    expect((await send(token, 'GET', '/mcp', undefined, { ...session, accept: 'text/event-stream' })).status).toBe(
      401,
    )
  })

  test('survive rotated keys, and no caller can make the server fetch keys repeatedly', async () => {
    const own = await Issuer.start()
    const { ask } = gate(issuerTokens({ issuer: own.url }))
    // The keys are fetched once, however many requests wait for them.
    await Promise.all(
      Array.from({ length: 5 }, async (_, n) => ask(await own.token(resourceUri, { sub: `s${n}` }), 'ping')),
    )
    expect(own.requests.filter((path) => path === '/keys')).toHaveLength(1)
    const status = async (token: string) => (await ask(token, 'initialize')).status
    expect(await status(await own.token(resourceUri))).not.toBe(401)
    const asked = own.requests.length
    for (let n = 0; n < 20; n++) expect(await status(await own.token(resourceUri, {}, { key: `k${n}` }))).toBe(401)
    expect(own.requests.length - asked).toBeLessThanOrEqual(1)
    await own.close()
    expect(await status(await own.token(resourceUri, { sub: 'later' }))).not.toBe(401)
  })

  test('return 503 with the reason while the issuer is down', async () => {
    const own = await Issuer.start()
    own.isDown = true
    const check = issuerTokens({ issuer: own.url })
    const { ask } = gate(check)
    const response = await ask(await own.token(resourceUri), 'initialize')
    expect([response.status, response.headers.get('retry-after')]).toStrictEqual([503, '5'])
    expect(await response.text()).toMatch(/cannot be reached \(.*status 502/)
    own.isDown = false
    const realNow = Date.now
    Date.now = () => realNow() + 6000
    expect((await ask(await own.token(resourceUri), 'initialize')).status).not.toBe(503)
    Date.now = realNow
    await own.close()
  })

  test('refuse metadata of another issuer, unsafe URLs and symmetric algorithms', async () => {
    const own = await Issuer.start()
    own.metadata = { issuer: 'https://evil.example' }
    const response = await gate(issuerTokens({ issuer: own.url })).ask(await own.token(resourceUri), 'initialize')
    expect(await response.text()).toMatch(/is the metadata of .*evil\.example/)
    own.metadata = { jwks_uri: 'http://10.0.0.1/keys' }
    expect(
      await (await gate(issuerTokens({ issuer: own.url })).ask(await own.token(resourceUri), 'initialize')).text(),
    ).toMatch(/not an https URL/)
    await own.close()
    expect(() => issuerTokens({ issuer: 'http://id.example' })).toThrow(/not a valid issuer/)
    expect(() => issuerTokens({ issuer: issuer.url, algorithms: ['HS256'] })).toThrow(/HS256 cannot be accepted/)
  })

  test('require the public URL of a server that others reach; a local one derives its own', async () => {
    await expect(serveHttp(kit, { host: '0.0.0.0', access: access() })).rejects.toThrow(
      /the public URL of this server is not set/,
    )
    const service = await serveHttp(kit, { access: access() })
    const wanted = await fetch(service.url, { method: 'POST' })
    const [, page = ''] = /resource_metadata="([^"]+)"/.exec(challengeOf(wanted) ?? '') ?? []
    expect((await (await fetch(page)).json()) as object).toMatchObject({ resource: service.url })
    const link = await connect(service.url, {
      headers: { authorization: `Bearer ${await issuer.token(service.url, { scope: 'mcp' })}` },
    })
    expect(JSON.stringify(await link.call('who'))).toContain('ada')
    await link.close()
    await service.close()
  })
})

describe('other ways to authenticate', () => {
  test('opaque tokens that the issuer reports as active', async () => {
    const client = { id: 'server', secret: 's&cret' }
    const { ask } = gate(introspectedTokens({ issuer: issuer.url, client }))
    const status = async (token: string) => (await ask(token, 'initialize')).status
    issuer.active.set('good', {
      active: true,
      aud: resourceUri,
      sub: 'ada',
      scope: 'a',
      exp: Date.now() / 1000 + 60,
    })
    issuer.active.set('foreign', { active: true, aud: 'https://other.example', sub: 'ada' })
    issuer.active.set('nobody', { active: true, sub: 'ada' })
    issuer.active.set('old', { active: true, aud: resourceUri, exp: 1 })
    expect(await status('good')).toBe(200)
    const asked = issuer.requests.length
    expect(await status('good')).toBe(200)
    expect(issuer.requests.length).toBe(asked)
    for (const token of ['foreign', 'nobody', 'old', 'unknown'])
      expect([token, await status(token)]).toStrictEqual([token, 401])
    const wrong = gate(introspectedTokens({ issuer: issuer.url, client, endpoint: 'http://127.0.0.1:9/x' }))
    expect((await wrong.ask('good', 'initialize')).status).toBe(503)
  })

  test('a file of tokens, which is read again when it changes', async () => {
    const lines = async (...names: string[]) =>
      tokenFileText(
        await Promise.all(
          names.map(async (name) => ({
            name,
            sha256: await sha256Of(`t-${name}`),
            scopes: name === 'ada' ? ['hives.read', 'hives.write'] : [],
          })),
        ),
      )
    const file = written('callers.tokens.jsonl', await lines('ada', 'bo'))
    const problems: string[] = []
    const { ask, open } = gate(namedTokens(file, { onProblem: (text) => problems.push(text) }))
    const session = await open('t-ada')
    expect((await ask('t-ada', 'tools/call', call('move'), session)).status).toBe(200)
    expect((await ask('t-bo', 'tools/call', call('move'), await open('t-bo'))).status).toBe(403)
    const refused = await ask('t-cy', 'initialize')
    expect([refused.status, challengeOf(refused)]).toStrictEqual([
      401,
      'Bearer error="invalid_token", error_description="the token is unknown"',
    ])
    expect(challengeOf(await ask(undefined, 'initialize'))).toBe('Bearer')
    const later = Date.now
    writeFileSync(file, await lines('bo', 'cyrus'))
    Date.now = () => later() + 2000
    expect((await ask('t-ada', 'tools/list', {}, session)).status).toBe(401)
    writeFileSync(file, 'nonsense')
    Date.now = () => later() + 4000
    expect((await ask('t-cyrus', 'initialize')).status).toBe(200)
    expect(problems.join()).toMatch(/not a valid token file .* The tokens read earlier stay valid/)
    rmSync(file)
    Date.now = () => later() + 6000
    expect((await ask('t-cyrus', 'initialize')).status).toBe(200)
    expect((await gate(namedTokens(file)).ask('t-bo', 'initialize')).status).toBe(503)
    Date.now = later
  })

  test('headers of a listed proxy, and of no other client', async () => {
    const check = trustedProxy({
      addresses: ['10.1.0.0/16', '::1'],
      subjectHeader: 'x-user',
      scopesHeader: 'x-scopes',
      claimHeaders: { role: 'x-role' },
    })
    const headers: Record<string, string> = { 'x-user': 'ada', 'x-scopes': 'a,b *', 'x-role': 'boss' }
    const asked = (address: string | undefined, given = headers) =>
      check.identify({ token: undefined, address, resource: resourceUri, header: (name) => given[name] })
    for (const address of ['10.1.2.3', '::ffff:10.1.2.3', '::1'])
      expect(asked(address)).toStrictEqual({
        identity: { subject: 'ada', scopes: ['a', 'b'], claims: { role: 'boss' } },
      })
    for (const address of ['10.2.0.1', '127.0.0.1', undefined, 'nonsense'])
      expect(asked(address)).toMatchObject({ refused: 'missing' })
    expect(asked('10.1.2.3', {})).toMatchObject({ refused: 'missing', reason: 'the proxy named no caller' })
    expect(() => trustedProxy({ addresses: ['here'] })).toThrow()
  })

  test('any of several', async () => {
    const file = written(
      'callers.tokens.jsonl',
      tokenFileText([{ name: 'ada', sha256: await sha256Of('plain'), scopes: [] }]),
    )
    const check = anyOf(issuerTokens({ issuer: issuer.url, scopes: ['mcp'] }), namedTokens(file))
    const { ask } = gate(check)
    expect((await ask('plain', 'initialize')).status).toBe(200)
    expect((await ask(await issuer.token(resourceUri, { scope: 'mcp' }), 'initialize')).status).toBe(200)
    const lacking = await ask(await issuer.token(resourceUri), 'initialize')
    expect([lacking.status, challengeOf(lacking)]).toStrictEqual([403, expect.stringContaining('scope="mcp"')])
    expect(challengeOf(await ask(undefined, 'initialize'))).toContain('scope="mcp"')
    expect((await ask('wrong', 'initialize')).status).toBe(401)
    expect(check.authorizationServers).toStrictEqual([issuer.url])
  })
})
