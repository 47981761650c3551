import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT } from 'jose'

type Key = Awaited<ReturnType<typeof generateKeyPair>>

/** An authorization server as far as a resource server sees it: metadata, keys, introspection, token exchange; and signs whatever it is told to. */
export class Issuer {
  readonly #server: Server
  readonly #keys = new Map<string, Key>()
  readonly requests: string[] = []
  readonly exchanged: URLSearchParams[] = []
  readonly active = new Map<string, object>()
  metadata: Record<string, unknown> = {}
  isDown = false
  url = ''

  private constructor() {
    this.#server = createServer(async (request, response) => {
      this.requests.push(request.url ?? '')
      if (this.isDown) return void response.writeHead(502).end()
      const answer = await this.#answer(request)
      response.writeHead(answer === undefined ? 404 : 200, { 'content-type': 'application/json' })
      response.end(JSON.stringify(answer ?? {}))
    })
  }

  static async start(): Promise<Issuer> {
    const issuer = new Issuer()
    await new Promise<void>((done) => issuer.#server.listen(0, '127.0.0.1', done))
    issuer.url = `http://127.0.0.1:${(issuer.#server.address() as AddressInfo).port}`
    await issuer.addKey('one')
    return issuer
  }

  async addKey(id: string, algorithm = 'ES256'): Promise<void> {
    this.#keys.set(id, await generateKeyPair(algorithm, { extractable: true }))
  }
  dropKey = (id: string) => this.#keys.delete(id)

  /** A token for a resource. Claims that are given stand over the usual ones; `key` is what signs. */
  async token(
    audience: string,
    claims: Record<string, unknown> = {},
    { key = 'one', algorithm = 'ES256', kid }: { key?: string; algorithm?: string; kid?: string } = {},
  ) {
    const now = Math.floor(Date.now() / 1000)
    const whole = {
      iss: this.url,
      aud: audience,
      sub: 'ada',
      client_id: 'desk',
      iat: now,
      exp: now + 600,
      ...claims,
    }
    if (algorithm === 'none') return new UnsecuredJWT(whole).encode()
    const signer = this.#keys.get(key)?.privateKey ?? (await generateKeyPair(algorithm)).privateKey
    return new SignJWT(whole).setProtectedHeader({ alg: algorithm, kid: kid ?? key, typ: 'at+jwt' }).sign(signer)
  }

  async close(): Promise<void> {
    this.#server.closeAllConnections()
    await new Promise((done) => this.#server.close(done))
  }

  async #answer(request: IncomingMessage): Promise<unknown> {
    const { url } = this
    if (request.url === '/.well-known/oauth-authorization-server')
      return {
        issuer: url,
        jwks_uri: `${url}/keys`,
        token_endpoint: `${url}/token`,
        introspection_endpoint: `${url}/introspect`,
        ...this.metadata,
      }
    if (request.url === '/keys')
      return {
        keys: await Promise.all(
          [...this.#keys].map(async ([kid, { publicKey }]) => ({
            ...(await exportJWK(publicKey)),
            kid,
            use: 'sig',
          })),
        ),
      }
    if (request.method !== 'POST') return undefined
    const form = new URLSearchParams(await textOf(request))
    if (request.headers.authorization !== `Basic ${Buffer.from('server:s%26cret').toString('base64')}`)
      return { error: 'invalid_client' }
    if (request.url === '/introspect') return this.active.get(form.get('token') ?? '') ?? { active: false }
    this.exchanged.push(form)
    return { access_token: `for ${form.get('audience')} ${this.exchanged.length}`, expires_in: 300 }
  }
}

async function textOf(request: IncomingMessage): Promise<string> {
  let text = ''
  for await (const chunk of request) text += chunk
  return text
}
