import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT } from 'jose'

type Key = Awaited<ReturnType<typeof generateKeyPair>>

/** An authorization server as a resource server sees it: metadata, keys, introspection, token exchange; signs any claims on request. */
export class Issuer {
  readonly #server: Server
  readonly #keys = new Map<string, Key>()
  readonly requests: string[] = []
  readonly exchanged: URLSearchParams[] = []
  readonly active = new Map<string, object>()
  metadata: Record<string, unknown> = {}
  /** Requests to the authorization and the token endpoint. */
  readonly authorizations: URLSearchParams[] = []
  readonly grants: URLSearchParams[] = []
  /** Parameters that override those of the redirect back; `undefined` omits one. */
  returns: Record<string, string | undefined> = {}
  /** Scopes of its tokens; the requested ones by default. */
  grantsScopes: string | undefined
  lifeSeconds = 600
  /** Responses to a device before it gets its token. */
  deviceAnswers: string[] = []
  /** The response to a device that requests a code. */
  device: Record<string, unknown> = {}
  readonly #codes = new Map<string, URLSearchParams>()
  /** The scopes of each. */
  readonly #refreshTokens = new Map<string, string>()
  #deviceScope: string | null = null
  isDown = false
  url = ''

  private constructor() {
    this.#server = createServer(async (request, response) => {
      this.requests.push(request.url ?? '')
      if (this.isDown) return void response.writeHead(502).end()
      if (request.url?.startsWith('/authorize?'))
        return void response.writeHead(302, { location: this.#authorize(request.url) }).end()
      const answer = await this.#answer(request)
      response.writeHead(statusOf(request.url, answer), { 'content-type': 'application/json' })
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

  /** A token for a resource. `claims` override the usual ones; `key` signs. */
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

  /** The redirect back to the client: everybody agrees at once. */
  #authorize(path: string): string {
    const asked = new URL(path, this.url).searchParams
    this.authorizations.push(asked)
    const code = crypto.randomUUID()
    this.#codes.set(code, asked)
    const back = new URL(asked.get('redirect_uri') ?? '')
    const parameters = { code, state: asked.get('state') ?? '', iss: this.url, ...this.returns }
    for (const [name, value] of Object.entries(parameters))
      if (value !== undefined) back.searchParams.set(name, value)
    return back.href
  }

  async #grant(form: URLSearchParams, request: IncomingMessage): Promise<unknown> {
    this.grants.push(form)
    const type = form.get('grant_type')
    const asked = this.#codes.get(form.get('code') ?? '')
    this.#codes.delete(form.get('code') ?? '')
    if (type === 'authorization_code') {
      const digest = await crypto.subtle.digest(
        'SHA-256',
        new TextEncoder().encode(form.get('code_verifier') ?? ''),
      )
      if (!asked || asked.get('code_challenge') !== Buffer.from(digest).toString('base64url'))
        return { error: 'invalid_grant' }
    }
    if (type === deviceGrant && this.deviceAnswers.length > 0) return { error: this.deviceAnswers.shift() }
    const known = this.#refreshTokens.get(form.get('refresh_token') ?? '')
    if (type === 'refresh_token' && !this.#refreshTokens.delete(form.get('refresh_token') ?? ''))
      return { error: 'invalid_grant', error_description: 'it was used before' }
    if (type === 'client_credentials' && !request.headers.authorization && !form.has('client_assertion'))
      return { error: 'invalid_client' }
    const scope =
      this.grantsScopes ??
      form.get('scope') ??
      (type === deviceGrant ? this.#deviceScope : null) ??
      asked?.get('scope') ??
      known ??
      ''
    const refresh = crypto.randomUUID()
    this.#refreshTokens.set(refresh, scope)
    const expires = this.lifeSeconds
    return {
      access_token: await this.token(form.get('resource') ?? '', {
        scope,
        jti: refresh,
        exp: Math.floor(Date.now() / 1000) + expires,
      }),
      token_type: 'Bearer',
      expires_in: expires,
      scope,
      ...(type === 'client_credentials' ? {} : { refresh_token: refresh }),
    }
  }

  async #answer(request: IncomingMessage): Promise<unknown> {
    const { url } = this
    if (request.url === '/.well-known/oauth-authorization-server')
      return {
        issuer: url,
        jwks_uri: `${url}/keys`,
        token_endpoint: `${url}/token`,
        introspection_endpoint: `${url}/introspect`,
        authorization_endpoint: `${url}/authorize`,
        registration_endpoint: `${url}/register`,
        device_authorization_endpoint: `${url}/device`,
        code_challenge_methods_supported: ['S256'],
        authorization_response_iss_parameter_supported: true,
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
    if (request.url === '/register') {
      const { redirect_uris: redirects, client_name: name } = JSON.parse(await textOf(request))
      return { client_id: `registered ${name}`, redirect_uris: redirects }
    }
    const form = new URLSearchParams(await textOf(request))
    if (request.url === '/device') {
      this.#deviceScope = form.get('scope')
      return {
        device_code: 'device',
        user_code: 'WDJB-MJHT',
        verification_uri: `${url}/activate`,
        expires_in: 60,
        interval: 0.05,
        ...this.device,
      }
    }
    if (request.url === '/token' && form.get('grant_type') !== exchangeGrant) return this.#grant(form, request)
    if (request.headers.authorization !== `Basic ${Buffer.from('server:s%26cret').toString('base64')}`)
      return { error: 'invalid_client' }
    if (request.url === '/introspect') return this.active.get(form.get('token') ?? '') ?? { active: false }
    this.exchanged.push(form)
    return { access_token: `for ${form.get('audience')} ${this.exchanged.length}`, expires_in: 300 }
  }
}

const deviceGrant = 'urn:ietf:params:oauth:grant-type:device_code'
const exchangeGrant = 'urn:ietf:params:oauth:grant-type:token-exchange'

function statusOf(path: string | undefined, answer: unknown): number {
  if (answer === undefined) return 404
  if (path === '/register') return 201
  return 'error' in (answer as object) ? 400 : 200
}

async function textOf(request: IncomingMessage): Promise<string> {
  let text = ''
  for await (const chunk of request) text += chunk
  return text
}
