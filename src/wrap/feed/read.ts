import { setTimeout as pause } from 'node:timers/promises'
import { pathToFileURL } from 'node:url'
import type { ChannelOptions } from './channel.js'
import { feedErrors } from './errors.js'
import { channelsFor } from './infer/channels.js'
import { fieldsOfRecords } from './infer/records.js'
import type { MethodOptions } from './method.js'
import type { FeedSink } from './source.js'
import { plainAddress, shownUrl } from './sources/address.js'
import { sourceAtAddress } from './sources/at-address.js'
import { readOpcUa } from './sources/opc-ua/read.js'

/** Observed messages of a source: the channels of its topics, with an example of each. */
export interface FeedReading {
  /** Without user and password. */
  readonly url: string
  readonly name: string
  /** Template for topics from the fields of messages without topics. */
  readonly topic?: string
  readonly channels: Readonly<Record<string, ChannelOptions>>
  readonly examples: Readonly<Record<string, unknown>>
  readonly topics: number
  /** Available methods, by the names of possible tools. */
  readonly methods?: Readonly<Record<string, MethodOptions>>
  /** Topics that were not examined. */
  readonly warning?: string
}

/** An observed message: topic and value. */
export interface Heard {
  readonly topic: string
  readonly value: unknown
}

const maxMessages = 20_000
/** Parsers could interpret such a URL in different ways. */
const hasOwnTopics = (url: string) => /^(mqtts?|wss?):/.test(url)

/**
 * Listens to a source for a while: for `mqtt://broker/scales/+/weight`, to the topics in the path; for `mqtt://broker`,
 * to all topics; for other sources, to all messages. Rejects with a `JexoError` if it cannot be reached, or sends
 * nothing.
 */
export async function readFeed(source: string, listenMs: number): Promise<FeedReading> {
  const address = plainAddress(source.startsWith('/') ? pathToFileURL(source).href : source)
  if (address.url.startsWith('opc.tcp:')) return readOpcUa(address, process.env)
  const { url, filter } = hasOwnTopics(address.url) ? splitFilter(address.url) : { url: address.url, filter: '#' }
  const heard = await listen({ ...address, url }, [filter.replace(/\{\w+\}/g, '+')], listenMs)
  if (heard.length === 0) throw feedErrors.feedSilent(shownUrl(source), filter, listenMs)
  if (hasOwnTopics(url)) {
    const seen = new Map(heard.map(({ topic, value }) => [topic, value]))
    return { url, topics: seen.size, ...channelsFor(seen, filter.includes('{') ? [filter] : undefined) }
  }
  return { url, ...fieldsOfRecords(heard, url) }
}

/** The path of a broker's URL is the topic filter. */
function splitFilter(text: string): { url: string; filter: string } {
  const [, url = '', path = ''] = /^(\w+:\/\/[^/]+)\/?(.*)$/s.exec(text) ?? []
  if (url === '' || !URL.canParse(url)) throw feedErrors.feedAddress(text)
  return { url, filter: decodeURIComponent(path) || '#' }
}

async function listen(
  address: ReturnType<typeof plainAddress>,
  filters: readonly string[],
  listenMs: number,
): Promise<Heard[]> {
  const heard: Heard[] = []
  const sink: FeedSink = {
    push: (topic, value) => void (heard.length < maxMessages && heard.push({ topic, value })),
    lost: () => {},
    found: () => {},
  }
  const ending = new AbortController()
  const opened = await sourceAtAddress(address, {}).open(sink, { settings: {}, filters, signal: ending.signal })
  await pause(listenMs)
  ending.abort()
  await (typeof opened === 'function' ? opened() : opened.close())
  return heard
}
