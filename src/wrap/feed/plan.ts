import { uriComponent } from '../../escape/uri.js'
import type { Effect } from '../../kit/effects.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Channel, ChannelOptions } from './channel.js'
import type { Method } from './method.js'

export interface FeedPlanOptions {
  /** Creates a tool per channel that returns the latest readings. Default: true. */
  readonly tools?: boolean
  /** Prefix of the tool names. */
  readonly prefix?: string
  readonly tags?: readonly string[]
}

/** The resources and tools of a feed, as plain JSON. */
export interface FeedPlan {
  readonly version: 1
  readonly kind: 'feed'
  readonly name: string
  readonly channels: readonly PlannedChannel[]
  readonly methods: readonly PlannedMethod[]
  readonly tags: readonly string[]
  readonly status: string
}
/** A method that becomes a tool. */
export interface PlannedMethod {
  readonly tool: string
  readonly path: string
  readonly about: string
  readonly effect: Effect
  readonly variables: readonly string[]
  readonly input: JsonSchema
}
export interface PlannedChannel extends ChannelOptions {
  readonly name: string
  readonly about: string
  readonly variables: readonly string[]
  /** URI or template of the latest reading; the URI of the history extends it. */
  readonly uri: string
  /** Name of the tool. */
  readonly tool?: string
}

/** Options that choose the content of a feed. Pure: the same channels and options give the same plan. */
export function planChannels(
  { name, channels, methods }: { name: string; channels: readonly Channel[]; methods: readonly Method[] },
  options: FeedPlanOptions = {},
): FeedPlan {
  const { tools = true, prefix = '', tags = [] } = options
  return {
    version: 1,
    kind: 'feed',
    name,
    tags,
    status: `${name}://status`,
    methods: methods.map((method) => planMethod(method, prefix)),
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

function planMethod(
  { name, pattern, about, effect = 'change', input = {} }: Method,
  prefix: string,
): PlannedMethod {
  const { variables } = pattern
  const own = (input.properties ?? {}) as Readonly<Record<string, JsonSchema>>
  const keys = variables.map((variable) => [
    variable,
    { type: 'string', minLength: 1, maxLength: 200, description: `Which ${variable}` },
  ])
  return {
    tool: `${prefix}${name}`,
    path: pattern.text,
    about: (about ?? `Calls ${pattern.text}`).replace(/\.$/, ''),
    effect,
    variables,
    input: {
      type: 'object',
      properties: { ...Object.fromEntries(keys), ...own },
      required: [...variables, ...((input.required ?? Object.keys(own)) as readonly string[])],
      additionalProperties: false,
    },
  }
}
