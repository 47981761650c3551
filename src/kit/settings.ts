import { uriComponent } from '../escape/uri.js'
import { branded, brands } from './brand.js'
import { kitErrors } from './errors.js'
import { checkKeys } from './option-keys.js'

export interface SettingOptions {
  /** Description for the operator who sets it. */
  about: string
  /** Default value. Without one, and if not `optional`, the setting is required. */
  default?: string
  optional?: boolean
  /** Masks the value in logs, errors and records. */
  secret?: boolean
}
declare const mayBeMissing: unique symbol
/** A setting declared with `setting`. `Missing` says whether it can have no value at run time. */
export interface Setting<Missing extends boolean = boolean> extends Readonly<SettingOptions> {
  readonly [mayBeMissing]?: Missing
}
/** Settings by name of their environment variable. */
export type Settings = Readonly<Record<string, Setting>>
/** Type of `call.settings`: declared settings have a value; others may be undefined. */
export type SettingValues<S extends Settings> = string extends keyof S
  ? Readonly<Record<string, string | undefined>>
  : {
      readonly [K in keyof S]: S[K] extends Setting<infer Missing>
        ? true extends Missing
          ? string | undefined
          : string
        : string
    }

type MissingOf<O> = O extends { readonly default: string }
  ? false
  : O extends { readonly optional: true }
    ? true
    : false

/**
 * Declares a setting: a value from the environment.
 *
 * @example settings: { SCALES_URL: setting({ about: 'Where the scales report.', default: 'mqtt://127.0.0.1:1883' }) }
 */
export function setting<const O extends SettingOptions>(options: O): Setting<MissingOf<O>> {
  checkKeys('the setting', options, ['about', 'default', 'optional', 'secret'])
  return branded({ ...(options as Setting<MissingOf<O>>) }, brands.setting)
}

export type Environment = Readonly<Record<string, string | undefined>>

/**
 * Reads the values of all settings. Throws one `JexoError` that names all missing ones, unless missing values are
 * tolerated.
 */
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

/**
 * Returns a function that masks the value of every secret in a text. Short values are not masked, since that would hide
 * ordinary words.
 */
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
