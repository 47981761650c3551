/** Wrapping feeds: what a device or a queue reports becomes resources that tell of changes. */
export { JexoError } from './errors.js'
export type { ChannelOptions } from './wrap/feed/channel.js'
export type { ConnectionState, Feed, Reading, Series } from './wrap/feed/feed.js'
export { mqttSource } from './wrap/feed/mqtt.js'
export type { FeedPlan, FeedPlanOptions, PlannedChannel } from './wrap/feed/plan.js'
export { type FeedOptions, type FeedSource, type SharedFeed, sharedFeed } from './wrap/feed/shared-feed.js'
export type { FeedOpening, FeedSink, PolledSource, PushingSource } from './wrap/feed/source.js'
export { planFeed, type WrapFeedOptions, wrapFeed } from './wrap/feed/wrap-feed.js'
