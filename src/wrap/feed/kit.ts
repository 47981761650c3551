import type { WrapKit } from '../kit-writer/wrap-kit.js'
import { fingerprint } from '../kit-writer/written-kit.js'
import type { FeedPlan, FeedPlanOptions } from './plan.js'
import type { FeedOptions } from './shared-feed.js'

/** The kit file of a planned feed. */
export function feedKitOf({ channels }: FeedPlan, url: string, options: FeedOptions & FeedPlanOptions): WrapKit {
  const prefix = options.settingPrefix ?? options.name.toUpperCase().replaceAll('-', '_')
  return {
    kind: 'feed',
    source: url,
    options: { ...options },
    about: `Readings of ${options.name}.`,
    settings: ['URL', 'USER', 'PASSWORD'].map((part) => `${prefix}_${part}`),
    tools: Object.fromEntries(channels.map((channel) => [channel.uri, fingerprint(channel)])),
  }
}
