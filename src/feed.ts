/** Wraps feeds: the readings of a device or a queue become resources with notifications of changes. */
export { JexoError } from './errors.js'
export type { ChannelOptions } from './wrap/feed/channel.js'
export type { ConnectionState, Feed, Reading, Series } from './wrap/feed/feed.js'
export type { Method, MethodOptions } from './wrap/feed/method.js'
export type { FeedPlan, FeedPlanOptions, PlannedChannel, PlannedMethod } from './wrap/feed/plan.js'
export { type FeedOptions, type FeedSource, type SharedFeed, sharedFeed } from './wrap/feed/shared-feed.js'
export type {
  FeedOpening,
  FeedSink,
  OpenedSource,
  PolledSource,
  PushingSource,
  ReadingNotes,
} from './wrap/feed/source.js'
export type { AddressedOptions } from './wrap/feed/sources/at-address.js'
export { growingFileSource } from './wrap/feed/sources/growing-file.js'
export { httpStreamSource } from './wrap/feed/sources/http-stream.js'
export type { MessageOptions } from './wrap/feed/sources/limits.js'
export { mqttSource } from './wrap/feed/sources/mqtt.js'
export { type OpcUaOptions, opcUaSource } from './wrap/feed/sources/opc-ua/opc-ua.js'
export { webSocketSource } from './wrap/feed/sources/web-socket.js'
export { webhookSource } from './wrap/feed/sources/webhook.js'
export { planFeed, type WrapFeedOptions, wrapFeed } from './wrap/feed/wrap-feed.js'
