import { feedKitOf } from '../feed/kit.js'
import type { FeedPlanOptions } from '../feed/plan.js'
import { readFeed } from '../feed/read.js'
import type { FeedOptions } from '../feed/shared-feed.js'
import { planFeed } from '../feed/wrap-feed.js'
import { folderKitOf } from '../folder/kit.js'
import { planFolder } from '../folder/wrap-folder.js'
import { sqlKitOf } from '../sql/kit.js'
import { planSql } from '../sql/wrap-sql.js'
import type { Preview, SourceOptions } from './preview.js'
import { writing } from './writing.js'

export async function previewSql(source: string, options: SourceOptions): Promise<Preview> {
  const plan = await planSql(source, options)
  return { form: 'sql', plan, ...writing(sqlKitOf(plan, source, options)) }
}

export async function previewFolder(source: string, options: SourceOptions): Promise<Preview> {
  const plan = await planFolder(source, options)
  return { form: 'folder', plan, ...writing(folderKitOf(plan, source, options)) }
}

/** The channels come from the topics that the feed carries, or from a kit that was written before. */
export async function previewFeed(source: string, given: SourceOptions, listenMs = 3000): Promise<Preview> {
  const { url, name, channels, examples, topics } = await readFeed(source, listenMs)
  const options = { name, ...given, channels } as FeedOptions & FeedPlanOptions
  const plan = planFeed(url, options)
  return { form: 'feed', plan, url, topics, examples, ...writing(feedKitOf(plan, url, options)) }
}
