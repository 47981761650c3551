import { fileURLToPath } from 'node:url'
import type { WrapKit } from '../kit-writer/wrap-kit.js'
import { fingerprint } from '../kit-writer/written-kit.js'
import type { FeedPlan, FeedPlanOptions } from './plan.js'
import { type FeedOptions, feedSettingNames } from './shared-feed.js'

/** The kit file of a planned feed. */
export function feedKitOf(
  { channels, methods }: FeedPlan,
  url: string,
  options: FeedOptions & FeedPlanOptions,
): WrapKit {
  const prefix = options.settingPrefix ?? options.name.toUpperCase().replaceAll('-', '_')
  return {
    kind: 'feed',
    source: url.startsWith('file:') ? fileURLToPath(url) : url,
    options: { ...options },
    about: `Readings of ${options.name}.`,
    settings: feedSettingNames(url, prefix),
    tools: Object.fromEntries([
      ...channels.map((channel) => [channel.uri, fingerprint(channel)]),
      ...methods.map((method) => [method.tool, fingerprint(method)]),
    ]),
  }
}
