import { isSecretHeader, isSecretName, isSecretValue } from '../../protocol/secrets.js'
import type { Credential } from '../http-api/credentials.js'
import { soleVariable, variableMarks } from './recorded.js'

/** Collects the credentials of recorded requests: one for each location and name, with the setting for it. */
export class SecretReader {
  readonly credentials: Credential[] = []
  /** Literal secrets, which must not be output anywhere. */
  readonly literals = new Set<string>()
  readonly #prefix: string

  constructor(prefix: string) {
    this.#prefix = prefix
  }

  /**
   * Handles `Authorization`, cookies and other secret headers: returns the names of their credentials, or undefined for
   * a plain header.
   */
  ofHeader(name: string, value: string): string[] | undefined {
    const lower = name.toLowerCase()
    if (lower === 'cookie')
      return value
        .split(/;\s*/)
        .filter(Boolean)
        .map((pair) => this.#cookie(pair))
    if (lower === 'authorization' || lower === 'proxy-authorization') return [this.#authorization(name, value)]
    if (!isSecretHeader(name) && !isSecretValue(value)) return undefined
    return [this.#key('header', name, value, name.replace(/^x-/i, ''))]
  }

  ofQuery(name: string, value: string): string | undefined {
    if (!isSecretName(name) && !isSecretValue(value)) return undefined
    return this.#key('query', name, value, name)
  }

  /** User name and password, as in `-u` and in URLs. */
  ofBasic(pair: string): string {
    const at = pair.indexOf(':')
    const [user, password] = at < 0 ? [pair, ''] : [pair.slice(0, at), pair.slice(at + 1)]
    this.#keep(password)
    const userSetting = soleVariable(user) ?? `${this.#prefix}_USER`
    const passwordSetting = soleVariable(password) ?? `${this.#prefix}_PASSWORD`
    return this.#add({ name: `basic ${userSetting}`, kind: 'basic', userSetting, passwordSetting })
  }

  /** A secret in another place, such as a path or a body: the setting for it, or undefined if it is not a secret. */
  ofValue(name: string, value: string): string | undefined {
    const variable = soleVariable(value)
    const isSecret =
      isSecretName(name) || isSecretValue(value) || (variable !== undefined && isSecretName(variable))
    if (!isSecret) return undefined
    this.#keep(value)
    const setting = variable ?? this.#setting(name)
    this.#add({ name: `value ${setting}`, kind: 'value', setting })
    return setting
  }

  #authorization(header: string, value: string): string {
    const [, scheme = '', rest = ''] = /^(\S+)\s+(.*)$/s.exec(value) ?? []
    if (/^basic$/i.test(scheme) && soleVariable(rest) === undefined) {
      this.#keep(rest)
      return this.ofBasic(Buffer.from(rest, 'base64').toString())
    }
    const token = scheme === '' ? value : rest
    this.#keep(token)
    const setting = soleVariable(token) ?? `${this.#prefix}_TOKEN`
    if (/^bearer$/i.test(scheme)) return this.#add({ name: `bearer ${setting}`, kind: 'bearer', setting })
    const prefix = scheme === '' ? {} : { prefix: `${scheme} ` }
    return this.#add({
      name: `header ${header} ${setting}`,
      kind: 'apiKey',
      in: 'header',
      parameter: header,
      ...prefix,
      setting,
    })
  }

  #cookie(pair: string): string {
    const at = pair.indexOf('=')
    return this.#key('cookie', pair.slice(0, at), pair.slice(at + 1), pair.slice(0, at))
  }

  #key(place: 'header' | 'query' | 'cookie', parameter: string, value: string, word: string): string {
    this.#keep(value)
    const setting = soleVariable(value) ?? this.#setting(word)
    return this.#add({ name: `${place} ${parameter} ${setting}`, kind: 'apiKey', in: place, parameter, setting })
  }

  #setting(word: string): string {
    const upper = word
      .replace(/([a-z\d])([A-Z])/g, '$1_$2')
      .replace(/[^A-Za-z\d]+/g, '_')
      .replace(/^_+|_+$/g, '')
      .toUpperCase()
    return upper.startsWith(`${this.#prefix}_`) ? upper : `${this.#prefix}_${upper || 'SECRET'}`
  }

  #add(credential: Credential): string {
    if (!this.credentials.some(({ name }) => name === credential.name)) this.credentials.push(credential)
    return credential.name
  }

  #keep(text: string): void {
    if (text.length >= 4 && text.replace(variableMarks, '') === text) this.literals.add(text)
  }
}
