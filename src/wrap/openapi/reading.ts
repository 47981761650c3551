import type { JsonObject } from '../../protocol/messages.js'
import type { Location, Style } from '../http-api/operation.js'
import type { Documents } from './documents.js'

/** The content of a description in one form for all versions, with the original schemas. */
export interface ReadDescription {
  readonly documents: Documents
  readonly version: '2.0' | '3.0' | '3.1'
  readonly title: string
  /** Absolute URLs, the first preferred. */
  readonly servers: readonly string[]
  /** The first server, if it is only a path. */
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
  /** Servers of the operation. */
  readonly servers: readonly string[]
  readonly parameters: readonly ReadParameter[]
  readonly body?: ReadBody
  readonly responses: readonly ReadResponse[]
  /** Alternatives, each a list of schemes that are all required, with their scopes. */
  readonly security: readonly Readonly<Record<string, readonly string[]>>[]
  readonly warnings: readonly string[]
}
/** An original schema, and its document. */
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

/** The source of an operation. */
export interface OperationContext {
  readonly documents: Documents
  readonly root: JsonObject
  readonly path: string
  readonly method: string
  readonly item: JsonObject
  readonly operation: JsonObject
  readonly url: string
}
