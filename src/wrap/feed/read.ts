import { isObject } from '../../protocol/messages.js'
import type { ChannelOptions } from './channel.js'
import { feedErrors } from './errors.js'
import { isMqttAddress, mqttSource, shownUrl } from './mqtt.js'
import type { FeedSink } from './source.js'
import { patternsOf, topicPattern } from './topics.js'

/** What was heard of a broker: channels that its topics make, and an example of each. */
export interface FeedReading {
  readonly url: string
  readonly name: string
  readonly channels: Readonly<Record<string, ChannelOptions>>
  readonly examples: Readonly<Record<string, unknown>>
  readonly topics: number
}

const maxTopics = 20_000

/**
 * Listens to a broker for a while: `mqtt://broker/scales/+/weight` to what the path says, `mqtt://broker` to everything. Rejects with a
 * `JexoError` where it cannot be reached, or nothing comes.
 */
export async function readFeed(source: string, listenMs: number): Promise<FeedReading> {
  if (!isMqttAddress(source) || !URL.canParse(source.replaceAll('#', '%23'))) throw feedErrors.feedAddress(source)
  const url = new URL(source.replaceAll('#', '%23'))
  const filter = decodeURIComponent(url.pathname.replace(/^\//, '')) || '#'
  const { username, password } = url
  Object.assign(url, { pathname: '', username: '', password: '' })
  const place = url.href.replace(/\/$/, '')
  const seen = new Map<string, unknown>()
  const sink: FeedSink = {
    push: (topic, value) => void (seen.size < maxTopics && seen.set(topic, value)),
    lost: () => {},
    found: () => {},
  }
  const pushing = mqttSource({
    url: place,
    urlSetting: '',
    userSetting: '',
    passwordSetting: '',
    ...(username ? { user: decodeURIComponent(username) } : {}),
    ...(password ? { password: decodeURIComponent(password) } : {}),
  })
  const filters = [filter.replace(/\{\w+\}/g, '+')]
  const close = await pushing.open(sink, { settings: {}, filters, signal: new AbortController().signal })
  await new Promise((resolve) => setTimeout(resolve, listenMs))
  await close()
  if (seen.size === 0) throw feedErrors.feedSilent(shownUrl(source), filter, listenMs)
  const patterns = filter.includes('{') ? [filter] : patternsOf([...seen.keys()])
  return { url: place, topics: seen.size, ...channelsFor(patterns, seen) }
}

function channelsFor(patterns: readonly string[], seen: ReadonlyMap<string, unknown>) {
  const channels: Record<string, ChannelOptions> = {}
  const examples: Record<string, unknown> = {}
  for (const topic of patterns) {
    const fixed = topic.split('/').filter((level) => !level.startsWith('{'))
    const base =
      (fixed.at(-1) ?? 'values')
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '') || 'values'
    let name = base
    for (let count = 2; name in channels || name === 'status'; count++) name = `${base}-${count}`
    const pattern = topicPattern(topic)
    const [, example] = [...seen].find(([one]) => pattern.match(one)) ?? []
    channels[name] = { topic, ...fieldsOf(example) }
    examples[name] = example
  }
  const [first = ''] = patterns
  const name =
    (first.split('/')[0] ?? '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[-\d]+|-$/g, '') || 'feed'
  return { name, channels, examples }
}

/** A message with a time and one other field is a reading. */
function fieldsOf(example: unknown): Pick<ChannelOptions, 'field' | 'timeField'> {
  if (!isObject(example)) return {}
  const fields = Object.keys(example)
  const timeField = fields.find((field) => /^(at|time|timestamp|ts|date)$/i.test(field))
  const others = fields.filter((field) => field !== timeField)
  return {
    ...(timeField === undefined ? {} : { timeField }),
    ...(others.length === 1 ? { field: String(others[0]) } : {}),
  }
}
