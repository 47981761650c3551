import { isObject, type JsonObject } from '../../../protocol/messages.js'
import type { ChannelOptions } from '../channel.js'
import type { FeedReading, Heard } from '../read.js'
import { topicMaker, unnamed } from '../sources/topic-of.js'
import { channelsFor, freeName, isTimeField, nameIn } from './channels.js'

const keyNames =
  /^(.*[_-])?(id|key|name|serial|device|sensor|station|site|machine|hive|tag|host|place|location|room)$|[a-z]I[dD]$/
const kindNames = /^(type|kind|event|metric|measurement|topic|channel|quantity)$/i
const maxKinds = 50
/** A message with more fields than this is one reading as a whole. */
const maxFields = 20

/**
 * Channels for messages without topics: fields that identify a device or place become the topic, as does a field for
 * the kind of message; each other field is a channel. Pure.
 */
export function fieldsOfRecords(heard: readonly Heard[], url: string): Omit<FeedReading, 'url'> {
  const records = heard.map(({ value }) => value).filter(isObject)
  const own = new Set(heard.map(({ topic }) => topic))
  const ownKinds = own.size > 1 || !own.has(unnamed) ? ['*'] : []
  const kind =
    ownKinds.length > 0
      ? undefined
      : fieldWhere(records, (field, values) => kindNames.test(field) && isKind(values))
  const keys = fieldsWhere(records, (field, values) => field !== kind && isKey(field, values))
  const levels = [...ownKinds, ...(kind === undefined ? [] : [kind]), ...keys]
  const name = nameIn(url)
  if (levels.length === 0 || records.length === 0) {
    const seen = new Map(heard.map(({ topic, value }) => [topic, value]))
    return { topics: seen.size, ...channelsFor(seen), name, ...channelsWithout(seen, records) }
  }
  const topic = levels.map((level) => `{${level}}`).join('/')
  const topicOf = topicMaker(topic)
  const groups = new Map<string, { pattern: string; records: JsonObject[] }>()
  const topics = new Set<string>()
  for (const { topic: ownTopic, value } of heard) {
    if (!isObject(value)) continue
    const made = topicOf(value, ownTopic)
    if (made === undefined) continue
    topics.add(made)
    const kindText = ownKinds.length > 0 ? ownTopic : kind === undefined ? undefined : made.split('/')[0]
    const pattern = [
      ...(kindText === undefined ? [] : [kindText]),
      ...keys.map((key) => `{${variableOf(key)}}`),
    ].join('/')
    const group = groups.get(pattern) ?? { pattern, records: [] }
    group.records.push(value)
    groups.set(pattern, group)
  }
  const channels: Record<string, ChannelOptions> = {}
  const examples: Record<string, unknown> = {}
  for (const group of groups.values())
    addChannels(group, new Set(kind === undefined ? keys : [kind, ...keys]), channels, examples)
  return { name, topic, topics: topics.size, channels, examples }
}

/** Messages without an identifying field: one channel for each of their fields. */
function channelsWithout(seen: ReadonlyMap<string, unknown>, records: readonly JsonObject[]) {
  if (seen.size !== 1 || records.length === 0) return {}
  const channels: Record<string, ChannelOptions> = {}
  const examples: Record<string, unknown> = {}
  addChannels({ pattern: unnamed, records }, new Set(), channels, examples)
  return { channels, examples }
}

function addChannels(
  { pattern, records }: { pattern: string; records: readonly JsonObject[] },
  used: ReadonlySet<string>,
  channels: Record<string, ChannelOptions>,
  examples: Record<string, unknown>,
): void {
  const [first = {}] = records
  const fields = [...new Set(records.slice(0, 1000).flatMap((record) => Object.keys(record)))].filter(
    (field) => !used.has(field),
  )
  const timeField = fields.find(isTimeField)
  const values = fields.filter((field) => field !== timeField)
  const [kind = ''] = pattern.split('/')
  const isKind = kind !== '' && !kind.startsWith('{') && kind !== unnamed
  const more = timeField === undefined ? {} : { timeField }
  const isOne = values.length === 1 || values.length > maxFields
  if (isOne || values.length === 0) {
    const name = freeName(isKind ? kind : ((values.length === 1 ? values[0] : undefined) ?? 'message'), channels)
    const [field] = values
    channels[name] = { topic: pattern, ...(values.length === 1 && field !== undefined ? { field } : {}), ...more }
    examples[name] = first
    return
  }
  for (const field of values) {
    const name = freeName(isKind ? `${kind}-${field}` : field, channels)
    channels[name] = { topic: pattern, field, ...more }
    examples[name] = records.find((record) => Object.hasOwn(record, field))?.[field]
  }
}

type Judge = (field: string, values: readonly unknown[]) => boolean

const fieldWhere = (records: readonly JsonObject[], judge: Judge) => fieldsWhere(records, judge)[0]

/** Fields that all messages have, and whose values satisfy a condition. */
function fieldsWhere(records: readonly JsonObject[], judge: Judge): string[] {
  const [first = {}] = records
  return Object.keys(first).filter((field) => {
    if (/[{}/*]/.test(field)) return false
    const values = records.map((record) => record[field])
    return values.every((value) => typeof value === 'string' || Number.isInteger(value)) && judge(field, values)
  })
}

const isKind = (values: readonly unknown[]) =>
  values.every((value) => typeof value === 'string') && new Set(values).size <= maxKinds

/** `hive: "ML-04"` identifies something; `state: "fine"` and times do not. */
function isKey(field: string, values: readonly unknown[]): boolean {
  if (isTimeField(field)) return false
  if (keyNames.test(field)) return true
  return values.every(
    (value) =>
      typeof value === 'string' && /^[\w.:-]{1,64}$/.test(value) && /[A-Za-z]/.test(value) && /\d/.test(value),
  )
}

const variableOf = (field: string) => field.replace(/\W+/g, '_')
