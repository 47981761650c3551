import type { Icon } from '../protocol/types.js'
import { brands, hasBrand, nameOf } from './brand.js'
import type { Identity } from './call.js'
import { kitErrors } from './errors.js'
import { checkLayers, type Layer } from './layer.js'
import { checkKeys } from './option-keys.js'
import { checkScopes, checkVisibility, isPart, keyOf, type Part } from './part.js'
import type { Setting } from './settings.js'
import { withViews } from './view.js'

export interface KitOptions<Parts extends readonly Part[] = readonly Part[]> {
  /** Name of the server; hosts show it. */
  name: string
  version: string
  title?: string
  /** Purpose of the server; sent to the model as instructions. */
  about?: string
  websiteUrl?: string
  icons?: readonly Icon[]
  settings?: Readonly<Record<string, Setting>>
  /** Scopes that every part requires, in addition to its own. */
  scopes?: readonly string[]
  /** False for callers who must not see any of the parts. */
  visibleTo?: (identity: Identity) => boolean
  /** Functions around the calls of all parts, outermost first. */
  layers?: readonly Layer[]
  parts: Parts
}

/** The value an author exports: a name, a version, parts, settings. */
export interface Kit<Parts extends readonly Part[] = readonly Part[]> {
  /** For the compiler only: the parts that it was defined with. */
  readonly types?: Parts
  readonly name: string
  readonly version: string
  readonly title: string | undefined
  readonly about: string | undefined
  readonly websiteUrl: string | undefined
  readonly icons: readonly Icon[] | undefined
  /** Settings of the kit and of its parts; the kit's own take precedence. */
  readonly settings: Readonly<Record<string, Setting>>
  readonly scopes: readonly string[]
  readonly visibleTo: ((identity: Identity) => boolean) | undefined
  readonly layers: readonly Layer[]
  /** The parts as they are now. */
  readonly parts: readonly Part[]
  /** Replaces the parts of a running kit: sessions are notified, and running calls finish with the old parts. */
  replace(parts: readonly Part[]): void
  /** Calls the listener after each `replace`; returns a function that ends it. */
  onReplace(listener: () => void): () => void
}

const kitKeys = [
  'name',
  'version',
  'title',
  'about',
  'websiteUrl',
  'icons',
  'settings',
  'scopes',
  'visibleTo',
  'layers',
  'parts',
]

/**
 * Defines a kit. Throws a `JexoError` if two parts of a kind have one name, or something is not a part.
 *
 * @example export default defineKit({ name: 'apiary', version: '1.0.0', parts: [weighHive] })
 */
export function defineKit<const Parts extends readonly Part[]>(options: KitOptions<Parts>): Kit<Parts> {
  checkKeys('the kit', options, kitKeys)
  if (!isLine(options.name, 128)) throw kitErrors.kitField('name', 'a short name on one line')
  if (!isLine(options.version, 128)) throw kitErrors.kitField('version', 'a version, such as 1.0.0')
  if (options.title !== undefined && !isLine(options.title, 256))
    throw kitErrors.kitField('title', 'a short title on one line')
  checkScopes('the kit', options.scopes)
  checkVisibility('the kit', options.visibleTo)
  let parts: readonly Part[] = checkParts(options.parts)
  const own = Object.freeze({ ...options.settings })
  checkSettingNames(settingsWith(own, parts))
  const listeners = new Set<() => void>()
  const kit: Kit<Parts> = {
    name: options.name,
    version: options.version,
    title: options.title,
    about: options.about,
    websiteUrl: options.websiteUrl,
    icons: options.icons,
    scopes: Object.freeze([...(options.scopes ?? [])]),
    visibleTo: options.visibleTo,
    layers: checkLayers('the kit', options.layers),
    get settings() {
      return settingsWith(own, parts)
    },
    get parts() {
      return parts
    },
    replace(next) {
      parts = checkParts(next)
      for (const listener of [...listeners]) listener()
    },
    onReplace(listener) {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
  }
  return Object.freeze(Object.defineProperty(kit, brands.kit, { value: true }))
}

/** True for a text that can be written on one line of any file: no line ends or other control characters. */
const isLine = (value: unknown, most: number): value is string =>
  typeof value === 'string' && value !== '' && value.length <= most && !/[\p{Cc}\u2028\u2029]/u.test(value)

/** True for a kit of this or of another copy of the package. */
export const isKit = (value: unknown): value is Kit => hasBrand(value, brands.kit)

/** The settings of a kit and of its parts. */
export function settingsFor(kit: Kit, parts: readonly Part[]): Readonly<Record<string, Setting>> {
  const ofParts = new Set(kit.parts.flatMap((part) => Object.values(part.settings ?? {})))
  const own = Object.entries(kit.settings).filter(([, declared]) => !ofParts.has(declared))
  return settingsWith(Object.fromEntries(own), parts)
}

const settingsWith = (own: Readonly<Record<string, Setting>>, parts: readonly Part[]) =>
  Object.freeze(Object.assign({}, ...parts.map(({ settings }) => settings ?? {}), own) as Record<string, Setting>)

function checkSettingNames(settings: Readonly<Record<string, Setting>>): void {
  for (const name of Object.keys(settings))
    if (!/^[A-Za-z_]\w{0,127}$/.test(name)) throw kitErrors.settingName(name)
}

function checkParts(parts: unknown): readonly Part[] {
  if (!Array.isArray(parts)) throw kitErrors.kitField('parts', `an array of parts, not ${nameOf(parts)}`)
  const seen = new Set<string>()
  for (const part of parts) {
    if (!isPart(part)) throw kitErrors.notAPart(nameOf(part))
    const key = `${part.kind} ${keyOf(part)}`
    if (seen.has(key)) throw kitErrors.partTaken(part.kind, keyOf(part))
    seen.add(key)
  }
  return Object.freeze([...withViews(parts as readonly Part[])])
}
