import { uriUnreserved } from '../../escape/uri.js'
import type { Identity } from '../../kit/call.js'
import { Refusal } from '../../kit/refusal.js'
import { type Setting, setting } from '../../kit/settings.js'
import { httpApiErrors } from './errors.js'
import type { UpstreamRequest } from './request.js'
import type { Send } from './sender.js'

/** Authentication scheme of an API and the names of its settings, without values. */
export type Credential = {
  /** Name of the scheme in the description. */
  readonly name: string
  readonly about?: string
  /** Optional for some operations; sent if it is set. */
  readonly isOptional?: boolean
} & (
  | {
      readonly kind: 'apiKey'
      readonly in: 'header' | 'query' | 'cookie'
      readonly parameter: string
      readonly prefix?: string
      readonly setting: string
    }
  | { readonly kind: 'basic'; readonly userSetting: string; readonly passwordSetting: string }
  | { readonly kind: 'bearer'; readonly setting: string }
  /** Inserted into a path or a body, by the name of the setting. */
  | { readonly kind: 'value'; readonly setting: string }
  | {
      readonly kind: 'clientCredentials'
      readonly tokenUrl: string
      readonly scopes: readonly string[]
      readonly idSetting: string
      readonly secretSetting: string
    }
  /** A token in the name of the caller, by token exchange. */
  | { readonly kind: 'exchange'; readonly audience: string; readonly scopes: readonly string[] }
)

/** The settings of these credentials, as a kit declares them. */
export function settingsOf(credentials: readonly Credential[], title: string): Record<string, Setting> {
  const declared: Record<string, Setting> = {}
  const add = (name: string, about: string, { isOptional, about: more }: Credential, isSecret = true) => {
    declared[name] = setting({
      about: `${about} of ${title}${more ? `: ${more}` : ''}`,
      secret: isSecret,
      ...(isOptional ? { optional: true } : {}),
    })
  }
  for (const credential of credentials) {
    if (credential.kind === 'apiKey') add(credential.setting, 'Key', credential)
    if (credential.kind === 'value') add(credential.setting, 'Secret', credential)
    if (credential.kind === 'bearer') add(credential.setting, 'Token', credential)
    if (credential.kind === 'basic') {
      add(credential.userSetting, 'User name', credential, false)
      add(credential.passwordSetting, 'Password', credential)
    }
    if (credential.kind === 'clientCredentials') {
      add(credential.idSetting, 'Client id', credential, false)
      add(credential.secretSetting, 'Client secret', credential)
    }
  }
  return declared
}

/** Names of the settings that a credential uses. */
export function settingNames(credential: Credential): string[] {
  if (credential.kind === 'exchange') return []
  if (credential.kind === 'basic') return [credential.userSetting, credential.passwordSetting]
  return credential.kind === 'clientCredentials'
    ? [credential.idSetting, credential.secretSetting]
    : [credential.setting]
}

/** Adds credentials from settings to requests, and caches fetched tokens while they are valid. */
export class Credentials {
  readonly #tokens = new Map<string, { token: Promise<string>; until: number }>()
  readonly #settings: Readonly<Record<string, string | undefined>>
  readonly #send: Send

  constructor(settings: Readonly<Record<string, string | undefined>>, send: Send) {
    this.#settings = settings
    this.#send = send
  }

  /** The request with these credentials. Credentials without values are omitted. */
  async applied(
    request: UpstreamRequest,
    credentials: readonly Credential[],
    identity: Identity | undefined,
  ): Promise<UpstreamRequest> {
    let made = request
    for (const credential of credentials) {
      if (settingNames(credential).every((name) => this.#settings[name]))
        made = await this.#with(made, credential, identity)
    }
    return made
  }

  /** Drops refused tokens; true if there is a newer one to try. */
  forget(credentials: readonly Credential[]): boolean {
    const before = this.#tokens.size
    for (const { name } of credentials) this.#tokens.delete(name)
    return this.#tokens.size < before
  }

  async #with(
    request: UpstreamRequest,
    credential: Credential,
    identity: Identity | undefined,
  ): Promise<UpstreamRequest> {
    const value = (name: string) => this.#settings[name] ?? ''
    if (credential.kind === 'apiKey') {
      const { in: place, parameter, prefix = '' } = credential
      const key = prefix + value(credential.setting)
      if (place === 'query') return withQuery(request, parameter, key)
      if (place === 'cookie') return withCookie(request, `${parameter}=${uriUnreserved(key)}`)
      return withHeader(request, parameter, key)
    }
    if (credential.kind === 'value') return request
    if (credential.kind === 'bearer')
      return withHeader(request, 'authorization', `Bearer ${value(credential.setting)}`)
    if (credential.kind === 'basic') {
      const pair = `${value(credential.userSetting)}:${value(credential.passwordSetting)}`
      return withHeader(request, 'authorization', `Basic ${Buffer.from(pair).toString('base64')}`)
    }
    const token =
      credential.kind === 'exchange' ? await exchanged(credential, identity) : await this.#token(credential)
    return withHeader(request, 'authorization', `Bearer ${token}`)
  }

  /** One request for a token, shared by all waiting calls. */
  #token(credential: Extract<Credential, { kind: 'clientCredentials' }>): Promise<string> {
    const known = this.#tokens.get(credential.name)
    if (known && known.until > Date.now()) return known.token
    const entry = { token: Promise.resolve(''), until: Number.POSITIVE_INFINITY }
    // Not cancelled with the call that started it, since others wait for it too.
    entry.token = this.#fetchToken(credential, AbortSignal.timeout(30_000)).then(({ token, seconds }) => {
      entry.until = Date.now() + Math.max(0, seconds - 30) * 1000
      return token
    })
    this.#tokens.set(credential.name, entry)
    entry.token.catch(() => this.#tokens.get(credential.name) === entry && this.#tokens.delete(credential.name))
    return entry.token
  }

  /** OAuth 2, client credentials (RFC 6749, section 4.4). */
  async #fetchToken(
    { tokenUrl, scopes, idSetting, secretSetting }: Extract<Credential, { kind: 'clientCredentials' }>,
    signal: AbortSignal,
  ): Promise<{ token: string; seconds: number }> {
    const form = { grant_type: 'client_credentials', ...(scopes.length > 0 ? { scope: scopes.join(' ') } : {}) }
    const [id = '', secret = ''] = [idSetting, secretSetting].map((name) => this.#settings[name] ?? '')
    const pair = Buffer.from(`${uriUnreserved(id)}:${uriUnreserved(secret)}`).toString('base64')
    const ask = (fields: Record<string, string>, headers: [string, string][] = []) =>
      this.#send(
        {
          method: 'POST',
          url: tokenUrl,
          headers: [
            ['accept', 'application/json'],
            ['content-type', 'application/x-www-form-urlencoded'],
            ...headers,
          ],
          body: Buffer.from(new URLSearchParams(fields).toString()),
        },
        signal,
      )
    const asked = await ask(form, [['authorization', `Basic ${pair}`]])
    // Some servers accept both only in the form (RFC 6749, section 2.3.1).
    const isRefused = asked.status === 400 || asked.status === 401
    const { status, body } = isRefused ? await ask({ ...form, client_id: id, client_secret: secret }) : asked
    const { access_token: token, expires_in: seconds = 300 } = jsonIn(body)
    if (status !== 200 || typeof token !== 'string')
      throw httpApiErrors.upstreamToken(tokenUrl, status, [idSetting, secretSetting])
    return { token, seconds: Number(seconds) }
  }
}

/** A token for this API in the name of the caller, by exchange of the caller's token. */
async function exchanged(
  { audience, scopes }: Extract<Credential, { kind: 'exchange' }>,
  identity: Identity | undefined,
): Promise<string> {
  if (!identity)
    throw new Refusal('This tool works for callers who signed in.', {
      operatorNote: 'serve it over HTTP with --issuer',
    })
  if (!identity.exchange)
    throw new Refusal('The server cannot call this API in your name.', {
      operatorNote: `tokens for ${audience} are issued by token exchange: give issuerTokens a client, or set JEXO_ISSUER_CLIENT_ID and JEXO_ISSUER_CLIENT_SECRET`,
    })
  return identity.exchange({ audience, scopes })
}

function jsonIn(body: Uint8Array): Record<string, unknown> {
  try {
    return Object(JSON.parse(Buffer.from(body).toString())) as Record<string, unknown>
  } catch {
    return {}
  }
}

function withHeader(request: UpstreamRequest, name: string, value: string): UpstreamRequest {
  const others = request.headers.filter(([known]) => known.toLowerCase() !== name.toLowerCase())
  return { ...request, headers: [...others, [name, value]] }
}

function withCookie(request: UpstreamRequest, pair: string): UpstreamRequest {
  const before = request.headers.find(([name]) => name.toLowerCase() === 'cookie')?.[1]
  return withHeader(request, 'cookie', before === undefined ? pair : `${before}; ${pair}`)
}

/** Replaces an existing parameter of that name, such as of a link to the next page. */
function withQuery(request: UpstreamRequest, name: string, value: string): UpstreamRequest {
  const [before = '', query = ''] = request.url.split(/\?(.*)/s)
  const others = query.split('&').filter((pair) => pair !== '' && pair.split('=')[0] !== uriUnreserved(name))
  return { ...request, url: `${before}?${[...others, `${uriUnreserved(name)}=${uriUnreserved(value)}`].join('&')}` }
}
