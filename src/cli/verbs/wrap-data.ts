import { dirname, resolve } from 'node:path'
import { tokensOf } from '../../context-cost/context-cost.js'
import { namesIn } from '../../kit/choose.js'
import type { KnownSource } from '../../wrap/detect/source-kind.js'
import type { FeedPlanOptions } from '../../wrap/feed/plan.js'
import type { FeedOptions } from '../../wrap/feed/shared-feed.js'
import { checkDataKit, type DataKit, writeDataKit } from '../../wrap/kit-writer/data-kit.js'
import { fingerprint, markIn } from '../../wrap/kit-writer/written-kit.js'
import { Failed, out, outJson, say } from '../terminal/output.js'
import { feedPlanText, folderPlanText, sqlPlanText } from '../text/data-plan-text.js'

/** The flags that matter to databases, folders and feeds. */
export interface DataFlags {
  only?: string
  except?: string
  prefix?: string
  name?: string
  settingPrefix?: string
  queries?: string
  tables?: boolean
  adHoc?: boolean
  hidden?: boolean
  search?: boolean
  listen?: string
  out?: string
  check?: boolean
  force?: boolean
  json?: boolean
}
/** A plan with its text and the kit that would be written. */
interface Planned {
  readonly plan: unknown
  readonly text: string
  readonly kit: DataKit
}

export const isData = ({ kind }: KnownSource): boolean => kind === 'sql' || kind === 'folder' || kind === 'feed'

/** Plans a database, a folder or a feed, shows the plan, writes or checks the kit. */
export async function wrapData(known: KnownSource, label: string, given: DataFlags): Promise<void> {
  const flags = given.check && given.out !== undefined ? { ...given, ...flagsOf(given.out) } : given
  const { plan, text, kit } = await planned(known, label, flags)
  if (flags.check && flags.out !== undefined) {
    const differences = checkDataKit(flags.out, kit.taken)
    if (differences.length === 0) return out(`${flags.out} is up to date with ${label}.`)
    out(differences.join('\n'))
    say(`${label} has changed since ${flags.out} was written.`)
    throw new Failed()
  }
  if (flags.out !== undefined) writeDataKit(flags.out, kit, flags.force === true)
  if (flags.json) return outJson(plan)
  out(text)
  if (flags.out === undefined) say('\nNothing was written. Write a kit file with --out <name>.kit.ts.')
  else say(`\nWrote ${flags.out}   (try it: jexo show ${flags.out})`)
}

/** What a kit was written with: that is what it is compared with. */
function flagsOf(kitFile: string): DataFlags {
  const { queries, only, except, take, ignore, ...options } = markIn(kitFile).options as Record<string, unknown>
  const names = (value: unknown) => (Array.isArray(value) ? value.join(',') : undefined)
  const files = Array.isArray(queries)
    ? queries.map((file) => resolve(dirname(resolve(kitFile)), String(file))).join(',')
    : undefined
  return {
    ...(options as DataFlags),
    ...given('queries', files),
    ...given('only', names(only ?? take)),
    ...given('except', names(except ?? ignore)),
  }
}

function planned({ kind, source }: KnownSource, label: string, flags: DataFlags): Promise<Planned> {
  if (kind === 'sql') return plannedSql(source, label, flags)
  return kind === 'folder' ? plannedFolder(source, label, flags) : plannedFeed(source, flags)
}

const given = <T>(name: string, value: T | undefined): Record<string, T> =>
  value === undefined ? {} : { [name]: value }
const list = (text: string | undefined) => (text === undefined ? undefined : namesIn(text))

async function plannedSql(source: string, label: string, flags: DataFlags): Promise<Planned> {
  const { planSql } = await import('../../wrap/sql/wrap-sql.js')
  const { settingsOf } = await import('../../wrap/sql/address.js')
  const files = (list(flags.queries) ?? []).map((file) => resolve(file))
  const options = {
    ...given('name', flags.name),
    ...given('settingPrefix', flags.settingPrefix),
    ...given('only', list(flags.only)),
    ...given('except', list(flags.except)),
    ...given('prefix', flags.prefix),
    ...(flags.tables === false ? { tables: false } : {}),
    ...(flags.adHoc ? { adHoc: true } : {}),
  }
  const plan = await planSql(source, { ...options, queries: files })
  const tokens = await tokensOf(plan.tools.map(({ name, about, input }) => ({ name, about, input })))
  const { address, tools, tables } = plan
  return {
    plan,
    text: sqlPlanText(plan, address.url ?? label, tokens),
    kit: {
      kind: 'sql',
      source: address.url ?? source,
      options,
      ...(files.length > 0 ? { files: { queries: files } } : {}),
      about: `The ${address.name} database.`,
      settings: Object.keys(settingsOf(address)),
      taken: Object.fromEntries([
        ...tools.map((tool) => [tool.name, fingerprint(tool)]),
        ...tables.map((table) => [table.uri, fingerprint(table)]),
        ...(plan.adHoc ? [['ad hoc', '']] : []),
      ]),
    },
  }
}

async function plannedFolder(source: string, label: string, flags: DataFlags): Promise<Planned> {
  const { planFolder } = await import('../../wrap/folder/wrap-folder.js')
  const options = {
    ...given('name', flags.name),
    ...given('prefix', flags.prefix),
    ...given('take', list(flags.only)),
    ...given('ignore', list(flags.except)),
    ...(flags.hidden ? { hidden: true } : {}),
    ...(flags.search === false ? { search: false } : {}),
  }
  const plan = await planFolder(source, options)
  return {
    plan,
    text: folderPlanText(plan, label),
    kit: {
      kind: 'folder',
      source,
      options,
      about: `${plan.about}.`,
      settings: [],
      // Files come and go without a new kit.
      taken: { [`${plan.name}://{+path}`]: '', ...(plan.tool === undefined ? {} : { [plan.tool]: '' }) },
    },
  }
}

async function plannedFeed(source: string, flags: DataFlags): Promise<Planned> {
  const { readFeed } = await import('../../wrap/feed/read.js')
  const { planFeed } = await import('../../wrap/feed/wrap-feed.js')
  const listenMs = Number(flags.listen ?? 3000)
  say(`Listening for ${listenMs} ms …`)
  const { url, name, channels, examples, topics } = await readFeed(source, listenMs)
  const options: FeedOptions & FeedPlanOptions = {
    name: flags.name ?? name,
    ...given('settingPrefix', flags.settingPrefix),
    ...given('prefix', flags.prefix),
    channels,
  }
  const plan = planFeed(url, options)
  const prefix = options.settingPrefix ?? options.name.toUpperCase().replaceAll('-', '_')
  return {
    plan,
    text: feedPlanText(plan, `${url}  ${topics} topics received`, examples),
    kit: {
      kind: 'feed',
      source: url,
      options: { ...options },
      about: `What ${options.name} reports.`,
      settings: ['URL', 'USER', 'PASSWORD'].map((part) => `${prefix}_${part}`),
      taken: Object.fromEntries(plan.channels.map((channel) => [channel.uri, fingerprint(channel)])),
    },
  }
}
