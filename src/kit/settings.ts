import { uriComponent } from '../escape/uri.js'
import { branded, brands } from './brand.js'
import { kitErrors } from './errors.js'
import { checkKeys } from './option-keys.js'

export interface SettingOptions {
  /** Description for the person who sets it. */
  about: string
  /** Default value. Without one, and if not `optional`, the setting is required. */
  default?: string
  optional?: boolean
  /** Masks the value in logs, errors and records. */
  secret?: boolean
}
/** A declared value from the environment. */
export interface Setting extends Readonly<SettingOptions> {}
export type SettingValues<S> = { readonly [K in keyof S]: string }

/**
 * Declares a setting: a value from the environment.
 *
 * @example settings: { SCALES_URL: setting({ about: 'Where the scales report.', default: 'mqtt://127.0.0.1:1883' }) }
 */
export function setting(options: SettingOptions): Setting {
  checkKeys('the setting', options, ['about', 'default', 'optional', 'secret'])
  return branded({ ...options }, brands.setting)
}

export type Environment = Readonly<Record<string, string | undefined>>

/** Takes the values of all settings at once. Throws one `JexoError` that names everything that is missing, unless that is tolerated. */
export function readSettings(
  settings: Readonly<Record<string, Setting>>,
  environment: Environment,
  toleratesMissing = false,
): Record<string, string> {
  const values: Record<string, string> = {}
  const missing: string[] = []
  for (const [name, declared] of Object.entries(settings)) {
    const value = environment[name] === undefined || environment[name] === '' ? declared.default : environment[name]
    if (value !== undefined) values[name] = value
    else if (!declared.optional) missing.push(`${name} (${declared.about.replace(/\.$/, '')})`)
  }
  if (missing.length > 0 && !toleratesMissing) throw kitErrors.settingsMissing(missing)
  return values
}

/** A function that replaces every secret's value in a text. Short values are left: they would hide ordinary words. */
export function maskFor(settings: Readonly<Record<string, Setting>>, values: Readonly<Record<string, string>>) {
  const secrets = Object.entries(settings)
    .filter(([name, declared]) => declared.secret && (values[name]?.length ?? 0) >= 4)
    .map(([name]) => values[name] as string)
    .sort((a, b) => b.length - a.length)
  const forms = secrets.flatMap((secret) => [
    ...new Set([secret, JSON.stringify(secret).slice(1, -1), uriComponent(secret)]),
  ])
  return (text: string): string => forms.reduce((masked, form) => masked.replaceAll(form, '••••'), text)
}
