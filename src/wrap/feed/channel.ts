import { isObject } from '../../protocol/messages.js'
import type { Reading } from './feed.js'
import { type TopicPattern, topicPattern } from './topics.js'

/** What comes of one kind: weights, states. */
export interface ChannelOptions {
  /** Topic with variables: `scales/{hive}/weight`. */
  readonly topic: string
  readonly about?: string
  readonly unit?: string
  /** The field of a JSON message that is the value; the whole message without it. */
  readonly field?: string
  /** The field of a JSON message that says when it was taken. */
  readonly timeField?: string
  /** What numbers or codes mean: `{ 0: 'fine', 1: 'low battery' }`. */
  readonly labels?: Readonly<Record<string | number, string>>
}
export interface Channel extends Omit<ChannelOptions, 'topic'> {
  readonly name: string
  readonly pattern: TopicPattern
}

export const channelsOf = (given: Readonly<Record<string, ChannelOptions>>): Channel[] =>
  Object.entries(given).map(([name, { topic, ...rest }]) => ({ ...rest, name, pattern: topicPattern(topic) }))

/** What a message of a channel says: value, label and time; undefined if it lacks the field that is the value. */
export function readingOf(
  channel: Channel,
  message: unknown,
  receivedAt: string,
  at?: string,
): Reading | undefined {
  const { field, timeField, labels = {} } = channel
  if (field !== undefined && isObject(message) && !Object.hasOwn(message, field)) return undefined
  const value = field !== undefined && isObject(message) ? (message[field] ?? null) : message
  const said = timeField !== undefined && isObject(message) ? message[timeField] : undefined
  const time = at ?? (said === undefined || said === null ? undefined : timeText(said))
  const label = typeof value === 'object' ? undefined : labels[String(value)]
  return { value, ...(label === undefined ? {} : { label }), at: time ?? receivedAt, receivedAt }
}

/** A time as text: ISO 8601, or seconds or milliseconds since 1970. */
function timeText(said: unknown): string | undefined {
  const number = typeof said === 'number' ? (said < 1e11 ? said * 1000 : said) : Date.parse(String(said))
  return Number.isFinite(number) && Math.abs(number) < 8e15 ? new Date(number).toISOString() : undefined
}
