import { uriComponent } from '../../escape/uri.js'
import { brands, hasBrand } from '../../kit/brand.js'
import { kitErrors } from '../../kit/errors.js'
import { type Setting, setting } from '../../kit/settings.js'
import { type Shared, shared } from '../../kit/shared.js'
import { type Channel, type ChannelOptions, channelsOf } from './channel.js'
import { Feed, type FeedLimits, type FeedUris } from './feed.js'
import { type Method, type MethodOptions, methodsOf } from './method.js'
import { type PolledSource, type PushingSource, pushingBy } from './source.js'
import { settableAddress } from './sources/address.js'
import { type AddressedOptions, sourceAtAddress } from './sources/at-address.js'
import { opcUaSettings } from './sources/opc-ua/security.js'

export interface FeedOptions extends AddressedOptions {
  /** Scheme of its URIs, and part of its tool names. */
  readonly name: string
  /** The channels, by name. */
  readonly channels: Readonly<Record<string, ChannelOptions>>
  /** Prefix of its settings: `SCALES` results in `SCALES_URL`, `SCALES_USER`, `SCALES_PASSWORD`. */
  readonly settingPrefix?: string
  /** Maximum number of stored readings per series. Default: 200. */
  readonly history?: number
  /** Maximum number of series. Default: 10,000. */
  readonly maxSeries?: number
  /** Age in milliseconds after which a series is stale. */
  readonly staleAfterMs?: number
  /** Methods of the device to offer as tools, by tool name. Only OPC UA servers have methods. */
  readonly methods?: Readonly<Record<string, MethodOptions>>
  /** Minimum interval between two notifications of a series, in milliseconds. Default: 1,000. */
  readonly updateEveryMs?: number
}
/**
 * A URL (`mqtt://`, `opc.tcp://`, `https://`, `wss+json://`, `webhook://`, or a `file:` URL of a growing file), a
 * source that pushes, or one that is polled.
 */
export type FeedSource = URL | string | PushingSource | PolledSource

/** A feed that your own tools can use too: `call.use(scales)` returns an open `Feed`. */
export interface SharedFeed extends Shared<Feed> {
  readonly name: string
  readonly channels: readonly Channel[]
  readonly methods: readonly Method[]
  /** Packages that its source imports. */
  readonly packages: readonly string[]
  readonly uris: FeedUris
  /** Its settings; wrapped parts include them. */
  readonly settings: Readonly<Record<string, Setting>>
}

/**
 * Declares a source that pushes or is polled. All sessions share one connection: opened at first use, reopened if it is
 * lost, closed at the end. Throws a `JexoError` if the address or a topic cannot be read.
 *
 * @example
 * const scales = sharedFeed('mqtt://127.0.0.1:1883', { name: 'scales', channels: { weight: { topic: 'scales/{hive}/weight', unit: 'kg' } } })
 * const reading = (await call.use(scales)).latest('weight', { hive: 'ML-04' })
 */
export function sharedFeed(source: FeedSource, options: FeedOptions): SharedFeed {
  const { name, history = 200, maxSeries = 10_000, staleAfterMs, updateEveryMs = 1000 } = options
  if (!/^[a-z][a-z0-9-]*$/.test(name))
    throw kitErrors.partField('the feed', 'name', 'lower-case letters, digits and dashes')
  const channels = channelsOf(options.channels)
  const methods = methodsOf(options.methods ?? {})
  const limits: FeedLimits = { history, maxSeries, staleAfterMs, updateEveryMs }
  const uris = urisOf(name)
  const { pushing, settings } = sourceOf(
    source,
    name,
    options.settingPrefix ?? name.toUpperCase().replaceAll('-', '_'),
    options,
  )
  const opened = shared(
    async (opening) => {
      const feed = new Feed(channels, limits, uris, opening)
      await feed.connect(
        pushing,
        opening.settings,
        methods.map(({ pattern }) => pattern.filter),
      )
      return feed
    },
    (feed) => feed.close(),
    pushing.isListener ? { atStart: true } : {},
  )
  const declared = {
    ...opened,
    ...{ name, channels, methods, uris, packages: pushing.packages ?? [] },
    settings: Object.freeze(settings),
  }
  return Object.freeze(Object.defineProperty(declared, brands.shared, { value: true })) as SharedFeed
}

export const isSharedFeed = (value: unknown): value is SharedFeed =>
  hasBrand(value, brands.shared) && 'channels' in (value as object)

function urisOf(name: string): FeedUris {
  const of = ({ name: channel, pattern }: Channel, keys: Readonly<Record<string, string>>) =>
    [
      `${name}:/`,
      uriComponent(channel),
      ...pattern.variables.map((variable) => uriComponent(keys[variable] ?? '')),
    ].join('/')
  return { latest: of, history: (channel, keys) => `${of(channel, keys)}/history`, status: `${name}://status` }
}

function sourceOf(
  source: FeedSource,
  name: string,
  prefix: string,
  options: AddressedOptions,
): { pushing: PushingSource; settings: Record<string, Setting> } {
  if (typeof source === 'object' && 'poll' in source) return { pushing: pushingBy(source), settings: {} }
  if (typeof source === 'object' && 'open' in source) return { pushing: source, settings: {} }
  const address = settableAddress(String(source), prefix)
  const { url, urlSetting, userSetting, passwordSetting } = address
  const isOpcUa = url.startsWith('opc.tcp:')
  return {
    pushing: sourceAtAddress(address, options),
    settings: {
      [urlSetting]: setting({ about: `Address of the ${name} feed`, default: url }),
      [userSetting]: setting({ about: `User of the ${name} feed`, optional: true }),
      [passwordSetting]: setting({
        about: `Password, token or secret of the ${name} feed`,
        optional: true,
        secret: true,
      }),
      ...(isOpcUa ? opcUaSettingsOf(prefix) : {}),
    },
  }
}

const securityTexts: Readonly<Record<keyof typeof opcUaSettings, string>> = {
  SECURITY_MODE: 'None, Sign or SignAndEncrypt',
  SECURITY_POLICY: 'Security policy, such as Basic256Sha256',
  CERTIFICATE: 'Client certificate file; created if not set',
  KEY: 'Key file of the client certificate',
  SERVER_CERTIFICATE: 'Certificate file that the server must present',
}
/** Names of the settings of an address. */
export const feedSettingNames = (url: string, prefix: string): string[] => [
  ...['URL', 'USER', 'PASSWORD'].map((part) => `${prefix}_${part}`),
  ...(url.startsWith('opc.tcp:') ? Object.keys(opcUaSettings).map((part) => `${prefix}_${part}`) : []),
]

const opcUaSettingsOf = (prefix: string): Record<string, Setting> =>
  Object.fromEntries(
    Object.entries(securityTexts).map(([name, about]) => [`${prefix}_${name}`, setting({ about, optional: true })]),
  )
