import { chosenFrom } from '../../kit/choose.js'
import { feedKitOf } from '../feed/kit.js'
import type { MethodOptions } from '../feed/method.js'
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

/** The channels are inferred from observed topics, or taken from an existing kit. */
export async function previewFeed(source: string, given: SourceOptions, listenMs = 3000): Promise<Preview> {
  const {
    url,
    name,
    topic,
    channels,
    examples,
    topics,
    methods: found = {},
    warning,
  } = await readFeed(source, listenMs)
  const { methods: wanted = [], ...others } = given as SourceOptions & { methods?: readonly string[] }
  const taken = methodsNamed(found, wanted)
  const options = {
    name,
    ...others,
    ...(topic === undefined ? {} : { topic }),
    channels,
    ...(Object.keys(taken).length === 0 ? {} : { methods: taken }),
  } as FeedOptions & FeedPlanOptions
  const plan = planFeed(url, options)
  const left = Object.values(found).filter(({ path }) => !Object.values(taken).some((one) => one.path === path))
  const kit = feedKitOf(plan, url, options)
  return {
    form: 'feed',
    plan,
    url,
    topics,
    examples,
    otherMethods: left.map(({ path }) => path),
    warning,
    ...writing(kit),
  }
}

/** Methods act on a device, so each must be named, by its path or its tool name. */
function methodsNamed(
  found: Readonly<Record<string, MethodOptions>>,
  wanted: readonly string[],
): Record<string, MethodOptions> {
  const view = ([tool, { path }]: [string, MethodOptions]) => ({
    key: path.split('/').at(-1) ?? path,
    others: [tool],
  })
  const all = Object.entries(found)
  const chosen = chosenFrom(all, view, wanted)
  return Object.fromEntries(all.filter((one) => chosen.has(one)))
}
