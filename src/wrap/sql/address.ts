import { basename } from 'node:path'
import { type Setting, setting } from '../../kit/settings.js'
import { sourceFile } from '../source/source.js'
import { sqlErrors } from './errors.js'
import type { SqlDialect } from './tokens.js'

/** Address of a database and its settings, without the password. */
export interface SqlAddress {
  readonly dialect: SqlDialect
  /** Name of the file or the database, used in URIs and tool names. */
  readonly name: string
  /** Path of a SQLite file. */
  readonly file?: string
  /** URL of a server, without user and password. */
  readonly url?: string
  /** Setting that overrides the file or URL. */
  readonly setting: string
  readonly userSetting?: string
  readonly passwordSetting?: string
}

/** Credentials of an address, which must not be stored. */
export interface Secrets {
  readonly user?: string
  readonly password?: string
}

const schemes: Readonly<Record<string, SqlDialect>> = {
  'postgres:': 'postgres',
  'postgresql:': 'postgres',
  'mysql:': 'mysql',
  'mariadb:': 'mysql',
}
const ports: Readonly<Record<string, number>> = { postgres: 5432, mysql: 3306 }

export const isSqlAddress = (text: string): boolean => /^(postgres(ql)?|mysql|mariadb):\/\//.test(text)

/** Parses the address of a database. Throws a `JexoError` if it is neither a file nor a URL of a known database. */
export function readAddress(
  source: URL | string,
  given: { name?: string; settingPrefix?: string } = {},
): { address: SqlAddress; secrets: Secrets } {
  const text = String(source)
  if (!isSqlAddress(text)) {
    if (/^[a-z][a-z\d+.-]+:\/\//i.test(text) && !text.startsWith('file:')) throw sqlErrors.sqlAddress(masked(text))
    const file = sourceFile(source)
    const name = nameOf(given.name ?? basename(file).replace(/\.(sqlite3?|db3?)$/i, ''))
    return { address: { dialect: 'sqlite', name, file, setting: `${prefixOf(given, name)}_FILE` }, secrets: {} }
  }
  if (!URL.canParse(text)) throw sqlErrors.sqlAddress(masked(text))
  const url = new URL(text)
  const dialect = schemes[url.protocol] as SqlDialect
  const { username, password } = url
  url.username = ''
  url.password = ''
  const name = nameOf(given.name ?? (url.pathname.slice(1) || url.hostname))
  const prefix = prefixOf(given, name)
  return {
    address: {
      dialect,
      name,
      url: url.href,
      setting: `${prefix}_URL`,
      userSetting: `${prefix}_USER`,
      passwordSetting: `${prefix}_PASSWORD`,
    },
    secrets: {
      ...(username ? { user: decodeURIComponent(username) } : {}),
      ...(password ? { password: decodeURIComponent(password) } : {}),
    },
  }
}

/** A URI scheme that can be part of names: lower case letters, digits and dashes. */
const nameOf = (text: string): string =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .replace(/^(?=\d)/, 'db-') || 'database'

const prefixOf = ({ settingPrefix }: { settingPrefix?: string }, name: string): string =>
  settingPrefix ?? name.toUpperCase().replaceAll('-', '_')

const masked = (text: string) => text.replace(/\/\/[^@/]*@/, '//••••@')

/** The settings of a database, as a kit declares them. */
export function settingsOf(address: SqlAddress, hasSecrets = false): Record<string, Setting> {
  const { name, url, userSetting, passwordSetting } = address
  if (url === undefined)
    return { [address.setting]: setting({ about: `File that replaces the ${name} database`, optional: true }) }
  return {
    [address.setting]: setting({ about: `Address of the ${name} database`, default: url }),
    [String(userSetting)]: setting({ about: `User of the ${name} database`, optional: true }),
    [String(passwordSetting)]: setting({
      about: `Password of the ${name} database${hasSecrets ? ', instead of the one in the kit' : ''}`,
      optional: true,
      secret: true,
    }),
  }
}

/** Connection parameters of a driver. */
export interface Connection {
  readonly host: string
  readonly port: number
  readonly database: string
  readonly user?: string
  readonly password?: string
  readonly isEncrypted: boolean
  /** For display, without user and password. */
  readonly label: string
}

/** The file from the settings, or the one in the kit. */
export function fileOf(address: SqlAddress, settings: Readonly<Record<string, string | undefined>>): string {
  return settings[address.setting] ? sourceFile(String(settings[address.setting])) : (address.file ?? '')
}

/** Settings override the address. Throws a `JexoError` if the setting is not a URL. */
export function connectionOf(
  address: SqlAddress,
  settings: Readonly<Record<string, string | undefined>>,
  secrets: Secrets,
): Connection {
  const text = settings[address.setting] || address.url || ''
  const { address: read, secrets: within } = readAddress(text)
  if (read.url === undefined) throw sqlErrors.sqlAddress(masked(text))
  const url = new URL(read.url)
  const user = settings[address.userSetting ?? ''] || within.user || secrets.user
  const password = settings[address.passwordSetting ?? ''] || within.password || secrets.password
  const port = Number(url.port) || (ports[read.dialect] ?? 0)
  const database = decodeURIComponent(url.pathname.slice(1))
  const wanted = url.searchParams.get('sslmode') ?? url.searchParams.get('ssl')
  return {
    host: url.hostname.replace(/^\[|\]$/g, ''),
    port,
    database,
    ...(user === undefined ? {} : { user }),
    ...(password === undefined ? {} : { password }),
    isEncrypted: wanted !== null && !/^(disable|false|0)$/.test(wanted),
    label: `${url.hostname}:${port}/${database}`,
  }
}
