import type { CommandPlan } from '../command/plan.js'
import type { KnownSource } from '../detect/source-kind.js'
import type { FeedPlan } from '../feed/plan.js'
import type { FolderPlan } from '../folder/plan.js'
import type { RestPlan } from '../http-api/operation.js'
import type { KitEntry } from '../kit-writer/kit-section.js'
import type { ModulePlan } from '../module/plan.js'
import type { ProcessPlan } from '../process/plan.js'
import type { ProcessCommand } from '../process/wrap-process.js'
import type { ServerTarget } from '../server/opener.js'
import type { ServerPlan } from '../server/plan.js'
import type { WrapServerOptions } from '../server/wrap-server.js'
import type { SqlPlan } from '../sql/plan.js'

/** A preview of a source for `jexo wrap`: its plan, and functions that write and compare a kit file. */
export type Preview = PlanOf & {
  /** True if a kit would have no parts. */
  readonly isEmpty: boolean
  /** The source as written into a kit file; `variable` is the name for its parts, if it is not the only source. */
  entry(variable?: string): KitEntry
  /** Writes other files that the kit uses. */
  writeBeside?(outFile: string): void
  /** Names of these files. */
  written?(outFile: string): readonly string[]
  /** A line for each change since the kit file was written; empty if there is none. */
  changesSince(outFile: string): readonly string[]
}
type PlanOf =
  | { readonly form: 'module'; readonly plan: ModulePlan }
  | { readonly form: 'api'; readonly plan: RestPlan }
  | { readonly form: 'sql'; readonly plan: SqlPlan }
  | { readonly form: 'folder'; readonly plan: FolderPlan }
  | { readonly form: 'command'; readonly plan: CommandPlan }
  | { readonly form: 'process'; readonly plan: ProcessPlan }
  | { readonly form: 'server'; readonly plan: ServerPlan }
  | {
      readonly form: 'feed'
      readonly plan: FeedPlan
      readonly url: string
      /** How many topics were received. */
      readonly topics: number
      /** Paths of methods that are not included. */
      readonly otherMethods: readonly string[]
      readonly warning: string | undefined
      /** A message of each channel. */
      readonly examples: Readonly<Record<string, unknown>>
    }

/** Options of a wrap as plain data, as written into a kit file. */
export type SourceOptions = Readonly<Record<string, unknown>>
/** Options for reading a source, which are not written to kits. */
export interface ReadingOptions {
  /** Sent with the introspection query of a GraphQL endpoint. */
  readonly introspectionHeaders?: Readonly<Record<string, string>>
  /** How long to listen to a feed for topics. Default: 3000. */
  readonly listenMs?: number
  /** The command of a source that is a program. */
  readonly process?: ProcessCommand
  /** The connection of a source that is a server. */
  readonly server?: { readonly target: ServerTarget } & Pick<WrapServerOptions, 'headers' | 'signIn'>
}

/** Reads and plans a source. Rejects with a `JexoError` if it cannot be read. */
export async function previewSource(
  { kind, source }: KnownSource,
  options: SourceOptions,
  reading: ReadingOptions = {},
): Promise<Preview> {
  if (kind === 'module') return (await import('./module.js')).previewModule(source, options)
  if (kind === 'sql') return (await import('./data.js')).previewSql(source, options)
  if (kind === 'folder') return (await import('./data.js')).previewFolder(source, options)
  if (kind === 'feed') return (await import('./data.js')).previewFeed(source, options, reading.listenMs)
  if (kind === 'command') return (await import('./command.js')).previewCommand(source, options)
  if (kind === 'process') return (await import('./process.js')).previewProcess(source, options, reading.process)
  if (kind === 'server') {
    const { target = source, ...reach } = reading.server ?? {}
    return (await import('./server.js')).previewServer(source, target, options, reach)
  }
  return (await import('./api.js')).previewApi(kind, source, options, reading.introspectionHeaders)
}
