import type { Progress } from '../protocol/incoming.js'
import type { JsonObject, Message } from '../protocol/messages.js'
import type { Implementation, LogMessage } from '../protocol/types.js'
import type { Telemetry } from '../telemetry/telemetry.js'
import type { ServerRequestHandlers } from './server-requests.js'

export interface LinkOptions extends ServerRequestHandlers {
  /** Revision to request, such as `2025-06-18`; the newest by default. */
  revision?: string
  /** Time limit of a request in milliseconds; progress extends it. Default: 60,000. */
  timeoutMs?: number
  /** Name and version that this client sends to servers. */
  clientInfo?: Implementation
  /** Called for each log message of the server. */
  onLog?: (message: LogMessage) => void
  /** Called for each message in both directions. */
  onMessage?: (message: Message, from: 'client' | 'server') => void
  /** Destination of spans and metrics. Default: the OpenTelemetry SDK of this process, if one is running. `false` makes none. */
  telemetry?: Telemetry | false
}
/** Parameters of `call` after the name; the arguments can be omitted if the tool requires none. */
export type CallWords<Arguments> =
  Record<never, never> extends Arguments
    ? [args?: Arguments, options?: CallOptions]
    : [args: Arguments, options?: CallOptions]
export interface CallOptions {
  signal?: AbortSignal
  timeoutMs?: number
  onProgress?: (progress: Progress) => void
  meta?: JsonObject
}

/** Events of a link, by name. */
export interface LinkEvents {
  toolsChanged: undefined
  resourcesChanged: undefined
  promptsChanged: undefined
  resourceUpdated: { uri: string }
  /** The step on a page that the person visited is done. */
  questionFinished: { elicitationId: string }
  log: LogMessage
  closed: { why: string }
}
