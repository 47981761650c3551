import type { JsonObject } from '../../protocol/messages.js'
import type { Location, Style } from '../http-api/operation.js'
import type { Documents } from './documents.js'

/** What a description says, in one form for all versions; schemas as they are written there. */
export interface ReadDescription {
  readonly documents: Documents
  readonly version: '2.0' | '3.0' | '3.1'
  readonly title: string
  /** Absolute URLs, the first preferred. */
  readonly servers: readonly string[]
  /** The path of the first server, where it is no more than that. */
  readonly basePath?: string
  readonly securitySchemes: Readonly<Record<string, JsonObject>>
  readonly operations: readonly ReadOperation[]
  readonly malformed: readonly { where: string; reason: string }[]
}
export interface ReadOperation {
  readonly method: string
  readonly path: string
  readonly operationId?: string
  readonly summary: string
  readonly description: string
  readonly tags: readonly string[]
  readonly isDeprecated: boolean
  /** Servers of its own. */
  readonly servers: readonly string[]
  readonly parameters: readonly ReadParameter[]
  readonly body?: ReadBody
  readonly responses: readonly ReadResponse[]
  /** Alternatives, each a list of schemes that all are needed, with the scopes. */
  readonly security: readonly Readonly<Record<string, readonly string[]>>[]
  readonly warnings: readonly string[]
}
/** A schema as it is written, and the document it stands in. */
export interface Raw {
  readonly schema: unknown
  readonly url: string
}
export interface ReadParameter extends Raw {
  readonly name: string
  readonly in: Location
  readonly isRequired: boolean
  readonly description?: string
  readonly isDeprecated: boolean
  readonly style: Style
  readonly explode: boolean
  readonly allowsReserved: boolean
  readonly isJson: boolean
  readonly example?: unknown
}
export interface ReadBody {
  readonly isRequired: boolean
  readonly description?: string
  readonly contents: readonly (Raw & { mediaType: string; encoding: Readonly<Record<string, JsonObject>> })[]
}
export interface ReadResponse {
  /** `200`, `2XX` or `default`. */
  readonly status: string
  readonly description: string
  readonly contents: readonly (Raw & { mediaType: string })[]
  readonly hasLinkHeader: boolean
}

/** What an operation is read from. */
export interface OperationContext {
  readonly documents: Documents
  readonly root: JsonObject
  readonly path: string
  readonly method: string
  readonly item: JsonObject
  readonly operation: JsonObject
  readonly url: string
}
