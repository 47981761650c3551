import { isObject, type JsonObject } from '../../protocol/messages.js'
import { type Credential, settingNames } from '../http-api/credentials.js'
import { wordsOf } from '../naming/effect-words.js'
import type { ReadDescription, ReadOperation } from './reading.js'

type Supported =
  | { credential: (settings: SettingNames, scopes: readonly string[]) => Credential }
  | { reason: string }
/** Names of settings: the API's prefix, and a word for the scheme if there are several of one kind. */
type SettingNames = (kind: string) => string

/** Credentials that an operation requires, by name, or the reason why it cannot be called. */
export type Needed = { credentials: readonly string[]; isOptional: boolean } | { reason: string }

/**
 * Reads the security requirements. `needs` returns those of an operation, `credentials` the credentials that the
 * requested operations need.
 */
export class SecurityReader {
  readonly #supported: ReadonlyMap<string, Supported>
  readonly #prefix: string
  readonly #schemes: Readonly<Record<string, JsonObject>>

  constructor({ securitySchemes, servers }: ReadDescription, prefix: string) {
    this.#prefix = prefix
    this.#schemes = securitySchemes
    this.#supported = new Map(
      Object.entries(securitySchemes).map(([name, scheme]) => [name, supportedScheme(name, scheme, servers[0])]),
    )
  }

  /** The first usable alternative; alternatives without credentials are kept for when nothing is set. */
  needs({ security }: ReadOperation): Needed {
    if (security.length === 0) return { credentials: [], isOptional: true }
    const ways = security.map((way) => Object.keys(way)).filter((names) => names.length > 0)
    const isOptional = ways.length < security.length
    const possible = ways.find((names) => names.every((name) => 'credential' in (this.#supported.get(name) ?? {})))
    if (possible) return { credentials: possible, isOptional }
    if (isOptional) return { credentials: [], isOptional }
    const reasons = ways.flat().flatMap((name) => {
      const found = this.#supported.get(name)
      if (!found) return [`"${name}" is not defined`]
      return 'reason' in found ? [found.reason] : []
    })
    return { reason: `it needs credentials of an unsupported kind: ${[...new Set(reasons)].join('; ')}` }
  }

  credentials(
    needed: readonly { operation: ReadOperation; needs: Extract<Needed, { credentials: readonly string[] }> }[],
  ): Credential[] {
    const names = [...new Set(needed.flatMap(({ needs }) => needs.credentials))]
    const made = names.map((name) => {
      const users = needed.filter(({ needs }) => needs.credentials.includes(name))
      const scopes = users.flatMap(({ operation }) => operation.security.flatMap((way) => way[name] ?? []))
      const settings = this.#settingNames(name, names)
      const found = this.#supported.get(name)
      if (!found || !('credential' in found)) return []
      const about = this.#schemes[name]?.description
      return [
        {
          ...found.credential(settings, [...new Set(scopes)]),
          ...(typeof about === 'string' && about.trim() !== ''
            ? { about: about.trim().split('\n')[0] as string }
            : {}),
          ...(users.every(({ needs }) => needs.isOptional) ? { isOptional: true } : {}),
        },
      ]
    })
    return toldApart(made.flat())
  }

  /** `REGISTRY_API_KEY`; with a word of the scheme if several are used. */
  #settingNames(scheme: string, used: readonly string[]): SettingNames {
    const word = used.length > 1 ? `${wordsOf(scheme).join('_').toUpperCase()}_` : ''
    return (kind) => `${this.#prefix}_${word}${kind}`.replace(/_([A-Z_]+)_\1$/, '_$1')
  }
}

/** Two schemes with the same words get different settings. */
function toldApart(credentials: readonly Credential[]): Credential[] {
  const taken = new Set<string>()
  return credentials.map((credential) => {
    const clash = settingNames(credential).some((name) => taken.has(name))
    for (const name of settingNames(credential)) taken.add(name)
    if (!clash || !('setting' in credential)) return credential
    return { ...credential, setting: `${credential.setting}_${taken.size}` }
  })
}

function supportedScheme(name: string, scheme: JsonObject, server: string | undefined): Supported {
  const kind = String(scheme.type ?? '').toLowerCase()
  const bearer: Supported = { credential: (setting) => ({ name, kind: 'bearer', setting: setting('TOKEN') }) }
  const basic: Supported = {
    credential: (setting) => ({
      name,
      kind: 'basic',
      userSetting: setting('USER'),
      passwordSetting: setting('PASSWORD'),
    }),
  }
  if (kind === 'apikey') {
    const { in: place, name: parameter } = scheme
    if ((place !== 'header' && place !== 'query' && place !== 'cookie') || typeof parameter !== 'string')
      return { reason: `the key "${name}" has no valid "in"` }
    return {
      credential: (setting) => ({ name, kind: 'apiKey', in: place, parameter, setting: setting('API_KEY') }),
    }
  }
  if (kind === 'basic') return basic
  if (kind === 'http') {
    const method = String(scheme.scheme ?? '').toLowerCase()
    if (method === 'bearer') return bearer
    return method === 'basic'
      ? basic
      : { reason: `"${name}" is HTTP ${method || 'authorization without a scheme'}` }
  }
  if (kind === 'openidconnect') return bearer
  if (kind === 'oauth2') return oauth(name, scheme, server) ?? bearer
  return { reason: `"${name}" has the unsupported type ${JSON.stringify(scheme.type ?? 'none')}` }
}

/** With client credentials, tokens are fetched automatically; for other flows, a token is set manually. */
function oauth(name: string, scheme: JsonObject, server: string | undefined): Supported | undefined {
  const flows = isObject(scheme.flows) ? scheme.flows : {}
  const older = scheme.flow === 'application' ? scheme : undefined
  const flow = isObject(flows.clientCredentials) ? flows.clientCredentials : older
  if (!flow || typeof flow.tokenUrl !== 'string' || !URL.canParse(flow.tokenUrl, server ?? 'relative:'))
    return undefined
  const tokenUrl = new URL(flow.tokenUrl, server).href
  const known = Object.keys(isObject(flow.scopes) ? flow.scopes : {})
  return {
    credential: (setting, scopes) => ({
      name,
      kind: 'clientCredentials',
      tokenUrl,
      scopes: scopes.filter((scope) => known.length === 0 || known.includes(scope)),
      idSetting: setting('CLIENT_ID'),
      secretSetting: setting('CLIENT_SECRET'),
    }),
  }
}
