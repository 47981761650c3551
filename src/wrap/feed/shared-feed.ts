import { uriComponent } from '../../escape/uri.js'
import { brands, hasBrand } from '../../kit/brand.js'
import { kitErrors } from '../../kit/errors.js'
import { type Setting, setting } from '../../kit/settings.js'
import { type Shared, shared } from '../../kit/shared.js'
import { type Channel, type ChannelOptions, channelsOf } from './channel.js'
import { feedErrors } from './errors.js'
import { Feed, type FeedLimits, type FeedUris } from './feed.js'
import { isMqttAddress, type MqttAddress, mqttSource } from './mqtt.js'
import { type PolledSource, type PushingSource, pushingBy } from './source.js'

export interface FeedOptions {
  /** Scheme of its URIs and part of its tools' names. */
  readonly name: string
  /** What comes, by the name that it shall have. */
  readonly channels: Readonly<Record<string, ChannelOptions>>
  /** Put before the names of its settings: `SCALES` gives `SCALES_URL`, `SCALES_USER`, `SCALES_PASSWORD`. */
  readonly settingPrefix?: string
  /** How many readings are kept of each series; 200 by default. */
  readonly history?: number
  /** How many series are kept; 10,000 by default. */
  readonly maxSeries?: number
  /** A series that nothing comes of for so long is shown as stale. */
  readonly staleAfterMs?: number
  /** Subscribers hear of a series so often at most; 1,000 by default. */
  readonly updateEveryMs?: number
}
/** `mqtt://broker:1883`, a source that pushes, or one that is polled. */
export type FeedSource = URL | string | PushingSource | PolledSource

/** A feed that an author's own tools use too: `call.use(scales)` gives an open `Feed`. */
export interface SharedFeed extends Shared<Feed> {
  readonly name: string
  readonly channels: readonly Channel[]
  readonly uris: FeedUris
  /** The settings that it takes; parts that are wrapped of it bring them along. */
  readonly settings: Readonly<Record<string, Setting>>
}

/**
 * Declares a long-lived source that pushes or is polled: one connection for all sessions, opened at first use, found again when it is
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
  const limits: FeedLimits = { history, maxSeries, staleAfterMs, updateEveryMs }
  const uris = urisOf(name)
  const { pushing, settings } = sourceOf(
    source,
    name,
    options.settingPrefix ?? name.toUpperCase().replaceAll('-', '_'),
  )
  const opened = shared(
    async (opening) => {
      const feed = new Feed(channels, limits, uris, opening)
      await feed.connect(pushing, opening.settings)
      return feed
    },
    (feed) => feed.close(),
  )
  const declared = { ...opened, name, channels, uris, settings: Object.freeze(settings) }
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
): { pushing: PushingSource; settings: Record<string, Setting> } {
  if (typeof source === 'object' && 'poll' in source) return { pushing: pushingBy(source), settings: {} }
  if (typeof source === 'object' && 'open' in source) return { pushing: source, settings: {} }
  const address = addressOf(String(source), prefix)
  const { url, urlSetting, userSetting, passwordSetting } = address
  return {
    pushing: mqttSource(address),
    settings: {
      [urlSetting]: setting({ about: `Where the ${name} feed comes from`, default: url }),
      [userSetting]: setting({ about: `User of the ${name} feed`, optional: true }),
      [passwordSetting]: setting({ about: `Password of the ${name} feed`, optional: true, secret: true }),
    },
  }
}

/** User and password are kept apart from what is shown. */
function addressOf(text: string, prefix: string): MqttAddress {
  if (!isMqttAddress(text) || !URL.canParse(text)) throw feedErrors.feedAddress(text)
  const url = new URL(text)
  const { username, password } = url
  url.username = ''
  url.password = ''
  if (!/^ws/.test(url.protocol)) url.pathname = ''
  return {
    url: url.href.replace(/\/$/, ''),
    urlSetting: `${prefix}_URL`,
    userSetting: `${prefix}_USER`,
    passwordSetting: `${prefix}_PASSWORD`,
    ...(username ? { user: decodeURIComponent(username) } : {}),
    ...(password ? { password: decodeURIComponent(password) } : {}),
  }
}
