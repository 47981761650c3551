import { uriComponent } from '../../escape/uri.js'
import type { Channel, ChannelOptions } from './channel.js'

export interface FeedPlanOptions {
  /** A tool for each channel that gives the latest readings, unless this is false. */
  readonly tools?: boolean
  /** Put before the names of tools. */
  readonly prefix?: string
  readonly tags?: readonly string[]
}

/** What of a feed becomes resources and tools: plain JSON. */
export interface FeedPlan {
  readonly version: 1
  readonly kind: 'feed'
  readonly name: string
  readonly channels: readonly PlannedChannel[]
  readonly tags: readonly string[]
  readonly status: string
}
export interface PlannedChannel extends ChannelOptions {
  readonly name: string
  readonly about: string
  readonly variables: readonly string[]
  /** URI or template of the latest reading; its history is below. */
  readonly uri: string
  /** Name of the tool. */
  readonly tool?: string
}

/** What is taken of a feed. Pure: the same channels and options give the same plan. */
export function planChannels(name: string, channels: readonly Channel[], options: FeedPlanOptions = {}): FeedPlan {
  const { tools = true, prefix = '', tags = [] } = options
  return {
    version: 1,
    kind: 'feed',
    name,
    tags,
    status: `${name}://status`,
    channels: channels.map(({ pattern, name: channel, about, ...rest }): PlannedChannel => {
      const of = pattern.variables.length > 0 ? ` of a ${pattern.variables.join(' and ')}` : ''
      return {
        ...rest,
        name: channel,
        topic: pattern.text,
        about: (about ?? `The ${channel}${of}, as ${name} reports it`).replace(/\.$/, ''),
        variables: pattern.variables,
        uri: [`${name}:/`, uriComponent(channel), ...pattern.variables.map((variable) => `{${variable}}`)].join(
          '/',
        ),
        ...(tools ? { tool: `${prefix}latest_${`${name}_${channel}`.replace(/[^A-Za-z0-9_]+/g, '_')}` } : {}),
      }
    }),
  }
}
