import { isObject } from '../../protocol/messages.js'
import type { Reading } from './feed.js'
import type { ReadingNotes } from './source.js'
import { fieldAt } from './sources/topic-of.js'
import { type TopicPattern, topicPattern } from './topics.js'

/** Readings of one kind, such as weights or states. */
export interface ChannelOptions {
  /** Topic with variables: `scales/{hive}/weight`. */
  readonly topic: string
  readonly about?: string
  readonly unit?: string
  /** Minimum and maximum plausible value. */
  readonly range?: readonly [low: number, high: number]
  /** Path of the value in a JSON message, such as `kg` or `scale.kg`. Default: the whole message. */
  readonly field?: string
  /** The field of a JSON message with the time of the reading. */
  readonly timeField?: string
  /** Labels of numbers or codes: `{ 0: 'fine', 1: 'low battery' }`. */
  readonly labels?: Readonly<Record<string | number, string>>
}
export interface Channel extends Omit<ChannelOptions, 'topic'> {
  readonly name: string
  readonly pattern: TopicPattern
}

export const channelsOf = (given: Readonly<Record<string, ChannelOptions>>): Channel[] =>
  Object.entries(given).map(([name, { topic, ...rest }]) => ({ ...rest, name, pattern: topicPattern(topic) }))

/** The reading in a message of a channel: value, label and time; undefined if the field is missing. */
export function readingOf(
  channel: Channel,
  message: unknown,
  receivedAt: string,
  at?: string,
  notes?: ReadingNotes,
): Reading | undefined {
  const { field, timeField, labels = {} } = channel
  const isPart = field !== undefined && isObject(message)
  const found = isPart ? fieldAt(message, field) : message
  if (found === undefined) return undefined
  const value = found ?? null
  const said = timeField === undefined ? undefined : fieldAt(message, timeField)
  const time = at ?? (said === undefined || said === null ? undefined : timeText(said))
  const label = typeof value === 'object' ? undefined : labels[String(value)]
  return { value, ...(label === undefined ? {} : { label }), at: time ?? receivedAt, receivedAt, ...notes }
}

/** Parses a time: ISO 8601, or seconds or milliseconds since 1970. */
function timeText(said: unknown): string | undefined {
  const number = typeof said === 'number' ? (said < 1e11 ? said * 1000 : said) : Date.parse(String(said))
  return Number.isFinite(number) && Math.abs(number) < 8e15 ? new Date(number).toISOString() : undefined
}
