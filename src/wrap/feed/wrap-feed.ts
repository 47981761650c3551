import { kitErrors } from '../../kit/errors.js'
import type { Part } from '../../kit/part.js'
import { feedPartsOf } from './parts.js'
import { type FeedPlan, type FeedPlanOptions, planChannels } from './plan.js'
import { type FeedOptions, type FeedSource, isSharedFeed, type SharedFeed, sharedFeed } from './shared-feed.js'

export interface WrapFeedOptions extends FeedPlanOptions, Partial<FeedOptions> {}

/**
 * Turns a feed into resources and tools: the latest reading and a bounded history of each channel, which tell their subscribers of
 * changes, the state of the connection, and a tool for each channel. The source is an argument or the result of `sharedFeed`.
 *
 * Rejects with a `JexoError` if the address, a topic or the name cannot be read.
 *
 * @example
 * parts: [...await wrapFeed('mqtt://127.0.0.1:1883', { name: 'scales', channels: { weight: { topic: 'scales/{hive}/weight', unit: 'kg' } } })]
 */
export async function wrapFeed(source: FeedSource | SharedFeed, options: WrapFeedOptions = {}): Promise<Part[]> {
  const feed = feedOf(source, options)
  return feedPartsOf(planChannels(feed, options), feed)
}

/** Returns the plan, as `jexo wrap` shows it. */
export function planFeed(source: FeedSource | SharedFeed, options: WrapFeedOptions = {}): FeedPlan {
  return planChannels(feedOf(source, options), options)
}

function feedOf(source: FeedSource | SharedFeed, options: WrapFeedOptions): SharedFeed {
  if (isSharedFeed(source)) return source
  const { name, channels } = options
  if (name === undefined) throw kitErrors.partField('the feed', 'name', 'lower-case letters, digits and dashes')
  if (channels === undefined || Object.keys(channels).length === 0)
    throw kitErrors.partField(
      `the feed "${name}"`,
      'channels',
      "topics by name, as in { weight: { topic: 'scales/{hive}/weight' } }",
    )
  return sharedFeed(source, { ...options, name, channels })
}
