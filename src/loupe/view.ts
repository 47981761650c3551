import type { ReadyAnswer } from '../link/answerers.js'
import type { Catalogue } from '../link/catalogue.js'
import type { JsonObject } from '../protocol/messages.js'
import type { ClientCapabilities, ServerCapabilities } from '../protocol/types.js'
import type { TargetState } from '../tape/entry.js'
import type { Target } from '../target/target.js'
import type { PartFinding } from '../vet/by-part.js'
import type { PartMark } from './catalogue-marks.js'
import type { ClientSide } from './client-side.js'
import type { OpenQuestion } from './questions.js'

/** The state of a target for the page. The page fetches the catalogue when its version changes. */
export interface TargetView {
  id: string
  label: string
  kind: Target['kind']
  state: TargetState
  /** Why it is not open. */
  problem: string | undefined
  /** The fix. */
  fix: string | undefined
  name: string | undefined
  version: string | undefined
  revision: string | undefined
  instructions: string | undefined
  session: string | undefined
  /** How long the last ping took, in milliseconds. */
  latencyMs: number | undefined
  capabilities: ServerCapabilities | undefined
  clientCapabilities: ClientCapabilities | undefined
  client: ClientSide
  questions: OpenQuestion[]
  catalogueVersion: number
}
export interface CatalogueView extends Catalogue {
  version: number
  /** Tokens that each tool costs in a model's context, by name. */
  costs: Readonly<Record<string, number>>
  /** Findings of `vet` by part. */
  findings: Readonly<Record<string, readonly PartFinding[]>>
  /** Changes since the previous connection, by part: `tool weigh_hive`. */
  marks: Readonly<Record<string, PartMark>>
  /** Removed parts, to be shown as such. */
  gone: Catalogue
}
export type Asked = {
  /** Replies to the server's requests during the call. */
  answers?: readonly ReadyAnswer[]
} & (
  | {
      result: JsonObject
      /**
       * Errors of the structured content against the output schema; empty if it is valid, omitted if there is no
       * schema.
       */
      issues?: readonly string[]
    }
  | { error: { code: number | string; message: string; data?: unknown } }
)
