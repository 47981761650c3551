import { isObject } from '../../../protocol/messages.js'
import type { ChannelOptions } from '../channel.js'
import { patternsOf, topicPattern } from '../topics.js'

export interface InferredChannels {
  readonly name: string
  readonly channels: Readonly<Record<string, ChannelOptions>>
  readonly examples: Readonly<Record<string, unknown>>
}

/**
 * Channels for observed topics, with an example of each: for the given patterns, or for patterns inferred from the
 * topics.
 */
export function channelsFor(
  seen: ReadonlyMap<string, unknown>,
  patterns: readonly string[] = patternsOf([...seen.keys()]),
): InferredChannels {
  const channels: Record<string, ChannelOptions> = {}
  const examples: Record<string, unknown> = {}
  for (const topic of patterns) {
    const fixed = topic.split('/').filter((level) => !level.startsWith('{'))
    const name = freeName(fixed.at(-1) ?? 'values', channels)
    const pattern = topicPattern(topic)
    const [, example] = [...seen].find(([one]) => pattern.match(one)) ?? []
    channels[name] = { topic, ...fieldsOf(example) }
    examples[name] = example
  }
  const [first = ''] = patterns
  return { name: slugOf(first.split('/')[0] ?? '').replace(/^[-\d]+/, '') || 'feed', channels, examples }
}

/** `batteryLevel` → `battery-level`. */
export const slugOf = (text: string): string =>
  text
    .replace(/%[0-9A-F]{2}/g, '-')
    .replace(/(?<=[a-z\d])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])/g, '-')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')

/** A unique name for a channel. */
export function freeName(wanted: string, taken: Readonly<Record<string, unknown>>): string {
  const base = slugOf(wanted) || 'values'
  let name = base
  for (let count = 2; Object.hasOwn(taken, name) || name === 'status'; count++) name = `${base}-${count}`
  return name
}

/** `https://hives.example/events` → `hives`, `readings.ndjson` → `readings`. */
export function nameIn(url: string): string {
  const [, host = '', path = ''] = /^[\w.+-]+:\/\/([^/]*)(.*)$/.exec(url) ?? []
  const file =
    /([^/]+)\.\w+$/.exec(path)?.[1] ??
    path
      .split('/')
      .filter((level) => /[a-z]/i.test(level))
      .at(-1)
  return slugOf(file ?? host.split('.')[0] ?? '').replace(/^[-\d]+/, '') || 'feed'
}

export const isTimeField = (field: string): boolean => /^(at|time|timestamp|ts|date|datetime)$/i.test(field)

/** A message with a time and one other field is a reading. */
function fieldsOf(example: unknown): Pick<ChannelOptions, 'field' | 'timeField'> {
  if (!isObject(example)) return {}
  const fields = Object.keys(example)
  const timeField = fields.find(isTimeField)
  const others = fields.filter((field) => field !== timeField)
  return {
    ...(timeField === undefined ? {} : { timeField }),
    ...(others.length === 1 ? { field: String(others[0]) } : {}),
  }
}
