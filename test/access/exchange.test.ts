import { defineKit } from 'jexo'
import { clientCredentials, type IssuerTokensOptions, issuerTokens } from 'jexo/access'
import { connect } from 'jexo/link'
import { serveHttp } from 'jexo/node'
import { wrapOpenApi } from 'jexo/openapi'
import { Issuer } from '../support/issuer.js'
import { Upstream } from '../support/upstream.js'

let issuer: Issuer
let upstream: Upstream
beforeAll(async () => {
  issuer = await Issuer.start()
  upstream = await Upstream.start()
})
afterAll(async () => {
  await issuer.close()
  await upstream.end()
})

const hivesApi = async () =>
  defineKit({
    name: 'hives',
    version: '1.0.0',
    parts: await wrapOpenApi(
      {
        openapi: '3.1.0',
        info: { title: 'Hives', version: '1' },
        servers: [{ url: upstream.url }],
        paths: { '/weight': { get: { operationId: 'weigh', responses: { 200: { description: 'Weight' } } } } },
      },
      { credential: { exchange: { audience: 'https://scales.example', scopes: ['scales.read'] } } },
    ),
  })

async function calling(options: Partial<IssuerTokensOptions>) {
  const service = await serveHttp(await hivesApi(), { access: issuerTokens({ issuer: issuer.url, ...options }) })
  const link = await connect(service.url, { signIn: clientCredentials({ clientId: 'desk', clientSecret: 's' }) })
  const result = await link.call('weigh')
  await link.close()
  await service.close()
  return result
}

test("a wrapped API is called with an exchanged token, never with the caller's own", async () => {
  expect((await calling({ client: { id: 'server', secret: 's&cret' } })).isError).not.toBe(true)
  const [form] = issuer.exchanged
  expect(Object.fromEntries(form ?? [])).toMatchObject({ audience: 'https://scales.example', scope: 'scales.read' })
  expect(upstream.last.headers.authorization).toBe('Bearer for https://scales.example 1')
  expect(upstream.last.headers.authorization).not.toContain(form?.get('subject_token'))
})

test('without a client for the exchange, or without a caller, the tool refuses and the API is not called', async () => {
  const asked = upstream.seen.length
  expect(JSON.stringify((await calling({})).content)).toContain('The server cannot call this API in your name.')
  const link = await connect(await hivesApi())
  expect(JSON.stringify((await link.call('weigh')).content)).toContain('This tool works for callers who signed in.')
  await link.close()
  expect(upstream.seen).toHaveLength(asked)
})
