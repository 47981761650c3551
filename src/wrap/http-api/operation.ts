import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Credential } from './credentials.js'
import type { Paging } from './paging.js'

/** The plan of an API as JSON: `jexo wrap` shows it, and packed files contain it. */
export interface RestPlan {
  readonly version: 1
  /** The wrap that made the plan, such as `openapi`. */
  readonly kind: string
  /** Name of the API from its description. */
  readonly title: string
  /** A name for use in URIs, from the settings' prefix or the title: `marsh-lane-registry`. */
  readonly slug: string
  /** Base URL of the API and the setting that overrides it. */
  readonly base: PlannedBase
  readonly credentials: readonly Credential[]
  readonly operations: readonly PlannedOperation[]
  readonly skipped: readonly SkippedOperation[]
  readonly warnings: readonly string[]
  /** Schemas that inputs and outputs reference as `#/$defs/…`. */
  readonly inputDefinitions: Readonly<Record<string, JsonSchema>>
  readonly outputDefinitions: Readonly<Record<string, JsonSchema>>
  /** Prefix of the names of the catalogue's tools. */
  readonly cataloguePrefix?: string
  /** One tool per operation, or a catalogue of three tools. */
  readonly form: 'tools' | 'catalogue'
}
export interface PlannedBase {
  /** Setting for the base URL. */
  readonly setting: string
  /** Undefined if neither the description nor the options contain it. */
  readonly url: string | undefined
  /** The server in the description, if the options name another: URLs of that server are mapped. */
  readonly described?: string
  /** Common path of all operations, if the description only contains a path. */
  readonly path?: string
}
/** A skipped operation and the reason. */
export interface SkippedOperation {
  readonly name: string
  /** `GET /hives/{hive}`, or the location in a file. */
  readonly where: string
  readonly reason: string
  readonly fix?: string
}

/** An operation of an API: its tool, and how its request is built. */
export interface PlannedOperation {
  readonly name: string
  readonly title?: string
  readonly about: string
  /** False if the source has no description, so that `about` is derived from method and path. */
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly tags: readonly string[]
  readonly method: string
  /** Path with `{name}` for each parameter, appended to the base URL. */
  readonly path: string
  /** Base URL of this operation, if the description declares another server for it. */
  readonly base?: string
  /** The operation's own id, or its location in the source. */
  readonly operationId?: string
  readonly input: JsonSchema
  readonly parameters: readonly PlannedParameter[]
  readonly body?: PlannedBody
  /** Generated defaults of arguments: templates by argument name. */
  readonly generated?: Readonly<Record<string, string>>
  readonly response: PlannedResponse
  /** Names of credentials that are sent together; the first usable alternative is chosen. */
  readonly credentials: readonly string[]
  readonly paging?: Paging
  readonly examples: readonly Example[]
  /** The URI template, if it becomes a resource template instead of a tool. */
  readonly asTemplate?: string
}

export type Location = 'path' | 'query' | 'header' | 'cookie'
export type Style =
  | 'simple'
  | 'label'
  | 'matrix'
  | 'form'
  | 'spaceDelimited'
  | 'pipeDelimited'
  | 'tabDelimited'
  | 'deepObject'
/** Location and format of a value in the request. */
export interface PlannedParameter {
  /** Name of the tool's argument; undefined for a constant. */
  readonly argument?: string
  /** Sent if the argument is missing. */
  readonly otherwise?: unknown
  readonly fixed?: unknown
  /** The setting that provides it. */
  readonly setting?: string
  /** The original text of a value: an equal value is sent in the same form. */
  readonly recorded?: Recorded
  /** Name in the request. */
  readonly name: string
  readonly in: Location
  readonly style: Style
  readonly explode: boolean
  readonly allowsReserved?: boolean
  /** Sent as JSON text. */
  readonly isJson?: boolean
}
export interface PlannedBody {
  readonly mediaType: string
  readonly form: 'json' | 'form' | 'multipart' | 'text' | 'binary'
  /** The argument that is the whole body. */
  readonly argument?: string
  /** Arguments that are parts of it. */
  readonly properties?: readonly BodyProperty[]
  /** A constant: a JSON value or a text. */
  readonly fixed?: unknown
  /** The body as it was written: a JSON value, or names and texts of a form. */
  readonly recorded?: Recorded
}
export interface Recorded {
  readonly value: unknown
  readonly text: string
}
export interface BodyProperty {
  readonly argument?: string
  readonly otherwise?: unknown
  readonly fixed?: unknown
  readonly setting?: string
  /** Location in the body: a key, or a path of keys in JSON. */
  readonly path: readonly (string | number)[]
  /** Serialization of lists and objects in a form. Default: JSON. */
  readonly style?: Style
  readonly explode?: boolean
  readonly mediaType?: string
  readonly isFile?: boolean
  /** File name for files without a name. */
  readonly fileName?: string
}

export interface PlannedResponse {
  /** `object`: structured content as it is; `value`: wrapped in `{ value }`; `any`: any content. */
  readonly form: 'object' | 'value' | 'any'
  /** The response schema for `object` and `value`; for `value`, of the inner value. */
  readonly schema?: JsonSchema
  readonly about?: string
  /** Descriptions of all responses, by status. */
  readonly statuses?: Readonly<Record<string, string>>
  /** Value of the header `accept`. */
  readonly accept: string
}
