import type { Layer } from '../kit/layer.js'
import type { Part } from '../kit/part.js'
import type { Environment } from '../kit/settings.js'
import type { Replacement } from '../kit/shared.js'
import type { JsonSchemaValidator } from '../kit/validation.js'
import type { Message } from '../protocol/messages.js'
import type { UpstreamRecord } from '../protocol/upstream.js'
import type { Telemetry } from '../telemetry/telemetry.js'
import type { SessionPeer } from './session-peer.js'

/** A message for the operator's log. `text` is masked already. */
export interface Report {
  level: 'info' | 'warning' | 'error'
  text: string
}
/** Observes all messages of the sessions of a kit, for recordings. */
export interface Observer {
  message(session: SessionPeer, message: Message, from: 'client' | 'server'): void
  /** Called for each upstream record of a call, with masked secrets. */
  upstream(session: SessionPeer, record: UpstreamRecord): void
  closed(session: SessionPeer, why: string): void
}
export interface RunningOptions {
  /** Environment variables for settings. */
  environment: Environment
  validator: JsonSchemaValidator
  /** Replacements of shared connections: `[[scales, fake]]`. */
  replace?: readonly Replacement[]
  report?: (report: Report) => void
  /** Runs an author's function; Node marks it, so that the stdout guard can name the tool. */
  inCall?: <T>(label: string, run: () => T) => T
  /** Reduces the kit's parts, now and after each change. */
  choose?: (parts: readonly Part[]) => readonly Part[]
  /** Layers around all parts, outside those of the kit. */
  layers?: readonly Layer[]
  /** Runs parts without any layers: for tests of the parts themselves. */
  withoutLayers?: boolean
  /** Maximum number of entries on a page of a list. */
  pageSize?: number
  /** Sends upstream records (requests, statements, files) to hosts that ask for them. */
  showsUpstream?: boolean
  observer?: Observer
  /** Destination of spans and metrics. Default: the OpenTelemetry SDK of this process, if one is running. `false` makes none. */
  telemetry?: Telemetry | false
  /** Runs without required settings, for inspection instead of calls. */
  toleratesMissing?: boolean
}

/** Sessions that other processes serve too: they are notified of changes wherever they are. */
export interface Reach {
  /** `isEverywhere` if every process receives the change itself, as from a feed. */
  resourceUpdated(uri: string, isEverywhere: boolean): void
  listsChanged(lists: readonly PartList[]): void
  countSessions(): Promise<number>
  /** Has all processes refresh a shared connection together; false if that is impossible. */
  repeat(name: string, everyMs: number): boolean
  /** Sends a message that belongs to no request to a session in any process. */
  send(session: string, message: Message): void
}
export type PartList = 'tools' | 'resources' | 'prompts'
