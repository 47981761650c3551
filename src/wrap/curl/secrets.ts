import type { Credential } from '../rest/credentials.js'
import { soleVariable, variableMarks } from './recorded.js'

const secretWord =
  /(^|[_-])(token|secret|password|passwd|pwd|signature|credential|authorization|api[_-]?key|apikey|access[_-]?key|auth[_-]?key|app[_-]?(id|key)|client[_-]?secret|session([_-]?id)?|jwt)$|^(key|sig|auth|appid)$/i
const secretShape = [
  /^(sk|pk|rk|ghp|gho|ghs|glpat|xox[abprs]|shpat|key|tok|pat)[_-][\w-]{8,}$/i,
  /^AKIA[0-9A-Z]{16}$/,
  /^eyJ[\w-]+\.[\w-]+\.[\w-]*$/,
  /^[0-9a-f]{32,}$/i,
]

/** True for a name whose value nobody writes down. */
export const isSecretName = (name: string): boolean => secretWord.test(name.replace(/([a-z])([A-Z])/g, '$1_$2'))

/** True for a text that looks like a token: a well-known prefix, or long and without sense. */
export function isSecretValue(text: string): boolean {
  if (secretShape.some((shape) => shape.test(text))) return true
  const kinds = [/[a-z]/, /[A-Z]/, /\d/].filter((kind) => kind.test(text)).length
  return /^[\w+/=-]{24,}$/.test(text) && kinds === 3
}

/** Collects the credentials of recorded requests: one for each place and name, with the setting that will hold it. */
export class SecretReader {
  readonly credentials: Credential[] = []
  /** Literal secrets, which may not be written out anywhere. */
  readonly literals = new Set<string>()
  readonly #prefix: string

  constructor(prefix: string) {
    this.#prefix = prefix
  }

  /** `Authorization`, cookies and other headers that carry a secret; the names of the credentials, or undefined for a plain header. */
  ofHeader(name: string, value: string): string[] | undefined {
    const lower = name.toLowerCase()
    if (lower === 'cookie')
      return value
        .split(/;\s*/)
        .filter(Boolean)
        .map((pair) => this.#cookie(pair))
    if (lower === 'authorization' || lower === 'proxy-authorization') return [this.#authorization(name, value)]
    if (!isSecretName(name.replace(/^x-/i, '')) && !isSecretValue(value)) return undefined
    return [this.#key('header', name, value, name.replace(/^x-/i, ''))]
  }

  ofQuery(name: string, value: string): string | undefined {
    if (!isSecretName(name) && !isSecretValue(value)) return undefined
    return this.#key('query', name, value, name)
  }

  /** User name and password, as `-u` and URLs give them. */
  ofBasic(pair: string): string {
    const at = pair.indexOf(':')
    const [user, password] = at < 0 ? [pair, ''] : [pair.slice(0, at), pair.slice(at + 1)]
    this.#keep(password)
    const userSetting = soleVariable(user) ?? `${this.#prefix}_USER`
    const passwordSetting = soleVariable(password) ?? `${this.#prefix}_PASSWORD`
    return this.#add({ name: `basic ${userSetting}`, kind: 'basic', userSetting, passwordSetting })
  }

  /** A secret elsewhere, such as in a path or a body: the setting that it comes from, or undefined where it is none. */
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
