import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { type AddressInfo, createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { exportJWK, generateKeyPair } from 'jose'
import Database from 'libsql'
import { Running } from './cli.js'

const scopes = ['hives.read', 'hives.write']

/** Debian's glewlwyd, an authorization server written in C, with one person, odo, who may use all hives. */
export class Glewlwyd {
  readonly #running: Running
  readonly #origin: string
  readonly issuer: string
  #admin = ''
  #person = ''

  private constructor(running: Running, origin: string) {
    this.#running = running
    this.#origin = origin
    this.issuer = `${origin}/api/oidc`
  }

  static async start(resource: string, tries = 3): Promise<Glewlwyd> {
    const port = await freePort()
    const folder = mkdtempSync(join(tmpdir(), 'jexo-glewlwyd-'))
    const database = join(folder, 'database')
    const made = new Database(database)
    made.exec(readFileSync('/usr/share/dbconfig-common/data/glewlwyd/install/sqlite3', 'utf8'))
    made.close()
    const origin = `http://127.0.0.1:${port}`
    writeFileSync(join(folder, 'configuration'), configuration(port, origin, database))
    const running = new Running(['-c', join(folder, 'configuration')], {}, process.env.JEXO_GLEWLWYD ?? 'glewlwyd')
    const server = new Glewlwyd(running, origin)
    await running.until(/Glewlwyd started/)
    if (await answers(port)) {
      await server.#prepare(resource)
      return server
    }
    // Another process has taken the port meanwhile.
    await running.end('SIGTERM')
    if (tries <= 1) throw new Error(`glewlwyd does not answer on port ${port}: ${running.said}`)
    return Glewlwyd.start(resource, tries - 1)
  }

  async #prepare(resource: string): Promise<void> {
    this.#admin = await this.#signIn('admin', 'password')
    for (const name of scopes)
      await this.#send('POST', '/scope/', { name, display_name: name, password_required: false, scheme: {} })
    await this.#send('POST', '/user/', {
      username: 'odo',
      password: 'one-of-the-keepers',
      name: 'Odo',
      enabled: true,
      scope: ['g_profile', 'openid', ...scopes],
    })
    await this.#send('POST', '/client/', {
      client_id: 'night-report',
      password: 'only-for-this-test',
      client_secret: 'only-for-this-test',
      confidential: true,
      enabled: true,
      scope: ['hives.read'],
      authorization_type: ['client_credentials'],
      token_endpoint_auth_method: ['client_secret_basic'],
    })
    await this.#send('POST', '/mod/plugin/', {
      module: 'oidc',
      name: 'oidc',
      display_name: 'Sign-in',
      parameters: await this.#plugin(resource),
    })
    this.#person = await this.#signIn('odo', 'one-of-the-keepers')
  }

  /** The browser of odo after sign-in and consent: it follows the redirect of the authorization server. */
  async agree(url: URL): Promise<void> {
    const client = url.searchParams.get('client_id')
    await this.#send('PUT', `/auth/grant/${client}/`, { scope: scopes.join(' ') }, this.#person)
    const answer = await fetch(`${url.href}&g_continue`, {
      headers: { cookie: this.#person, connection: 'close' },
      redirect: 'manual',
    })
    await fetch(answer.headers.get('location') ?? '')
  }

  end(): Promise<number | null> {
    return this.#running.end('SIGKILL')
  }

  async #plugin(resource: string): Promise<object> {
    const { privateKey } = await generateKeyPair('RS256', { extractable: true })
    const key = { ...(await exportJWK(privateKey)), kid: 'first', alg: 'RS256', use: 'sig' }
    const allowed = ['auth-type-code-enabled', 'auth-type-client-enabled', 'auth-type-refresh-enabled']
    const isOn = [
      'pkce-allowed',
      'register-client-allowed',
      'resource-allowed',
      'oauth-as-iss-id',
      'allow-non-oidc',
    ]
    return {
      iss: this.issuer,
      'jwt-type': 'rsa',
      'jwt-key-size': '256',
      'jwks-private': JSON.stringify({ keys: [key] }),
      'default-kid': 'first',
      'jwks-show': true,
      'access-token-duration': 600,
      'refresh-token-duration': 86_400,
      'code-duration': 60,
      'refresh-token-rolling': true,
      'refresh-token-one-use': 'always',
      ...Object.fromEntries([...allowed, ...isOn].map((name) => [name, true])),
      'register-client-auth-scope': [],
      'register-client-credentials-scope': ['hives.read'],
      'resource-scope': Object.fromEntries(scopes.map((name) => [name, [resource]])),
      'resource-client-property': '',
      'subject-type': 'public',
    }
  }

  async #signIn(username: string, password: string): Promise<string> {
    const answer = await this.#send('POST', '/auth', { username, password }, '')
    return answer.headers.getSetCookie().map((line) => line.split(';')[0])[0] ?? ''
  }

  async #send(method: string, path: string, body: object, cookie = this.#admin): Promise<Response> {
    const answer = await patiently(`${this.#origin}/api${path}`, {
      method,
      // It closes waiting connections without a response.
      headers: { 'content-type': 'application/json', cookie, connection: 'close' },
      body: JSON.stringify(body),
    })
    if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${await answer.text()}`)
    return answer
  }
}

const configuration = (port: number, origin: string, database: string) => `port=${port}
external_url="${origin}"
login_url="login.html"
api_prefix="api"
log_mode="console"
log_level="INFO"
cookie_secure=0
session_expiration=2419200
session_key="GLEWLWYD2_SESSION_ID"
admin_scope="g_admin"
profile_scope="g_profile"
user_module_path="/usr/lib/glewlwyd/user"
client_module_path="/usr/lib/glewlwyd/client"
user_auth_scheme_module_path="/usr/lib/glewlwyd/scheme"
plugin_module_path="/usr/lib/glewlwyd/plugin"
static_files_path="/usr/share/glewlwyd/webapp"
hash_algorithm="SHA512"
database = { type = "sqlite3"
  path = "${database}" };
`

/** Opens a connection again that the server closes without a response. */
async function patiently(url: string, init: RequestInit, tries = 3): Promise<Response> {
  try {
    return await fetch(url, init)
  } catch (error) {
    if (tries <= 1) throw error
    await new Promise((done) => setTimeout(done, 300))
    return patiently(url, init, tries - 1)
  }
}

/** It reports that it has started slightly before it listens, or without listening. */
async function answers(port: number): Promise<boolean> {
  for (let tries = 0; tries < 50; tries++) {
    const isThere = await fetch(`http://127.0.0.1:${port}/api/`, { headers: { connection: 'close' } }).then(
      () => true,
      () => false,
    )
    if (isThere) return true
    await new Promise((done) => setTimeout(done, 100))
  }
  return false
}

async function freePort(): Promise<number> {
  const server = createServer()
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  const { port } = server.address() as AddressInfo
  await new Promise((done) => server.close(done))
  return port
}
