import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Credential } from './credentials.js'
import type { Paging } from './paging.js'

/** The parts of an API, as JSON: `jexo wrap` shows it, and packed files contain it. */
export interface RestPlan {
  readonly version: 1
  /** The wrap that made the plan, such as `openapi`. */
  readonly kind: string
  /** Name of the API, as its description says. */
  readonly title: string
  /** The settings' prefix, or words of the title, for use in URIs: `marsh-lane-registry`. */
  readonly slug: string
  /** Base URL of the API and the setting that overrides it. */
  readonly base: PlannedBase
  readonly credentials: readonly Credential[]
  readonly operations: readonly PlannedOperation[]
  readonly skipped: readonly SkippedOperation[]
  readonly warnings: readonly string[]
  /** Schemas that inputs and outputs refer to by `#/$defs/…`. */
  readonly inputDefinitions: Readonly<Record<string, JsonSchema>>
  readonly outputDefinitions: Readonly<Record<string, JsonSchema>>
  /** Prefix of the names of the catalogue's tools. */
  readonly cataloguePrefix?: string
  /** One tool per operation, or a catalogue of three tools. */
  readonly form: 'tools' | 'catalogue'
}
export interface PlannedBase {
  /** Setting that holds the base URL. */
  readonly setting: string
  /** Undefined if neither description nor options say it. */
  readonly url: string | undefined
  /** The server that the description names, where options name another: URLs of the same server follow. */
  readonly described?: string
  /** Path that everything lies under, where the description says only that. */
  readonly path?: string
}
/** A skipped operation and the reason. */
export interface SkippedOperation {
  readonly name: string
  /** `GET /hives/{hive}`, or the place in a file. */
  readonly where: string
  readonly reason: string
  readonly fix?: string
}

/** An operation of an API: its tool, and the construction of its request. */
export interface PlannedOperation {
  readonly name: string
  readonly title?: string
  readonly about: string
  /** False if the source has no description, so that `about` is derived from method and path. */
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly tags: readonly string[]
  readonly method: string
  /** Path with `{name}` for each parameter, put after the base URL. */
  readonly path: string
  /** Base URL of this operation, if the description declares another server for it. */
  readonly base?: string
  /** The operation's own id, or the place it was found at. */
  readonly operationId?: string
  readonly input: JsonSchema
  readonly parameters: readonly PlannedParameter[]
  readonly body?: PlannedBody
  /** Arguments with generated defaults: templates by the name of the argument. */
  readonly generated?: Readonly<Record<string, string>>
  readonly answer: PlannedAnswer
  /** Names of credentials that all are sent; the first of several ways that can be done. */
  readonly credentials: readonly string[]
  readonly paging?: Paging
  readonly examples: readonly Example[]
  /** The URI template that it is read by, where it is a resource template and no tool. */
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
  /** Sent where the argument is not given. */
  readonly otherwise?: unknown
  readonly fixed?: unknown
  /** The setting that it comes from. */
  readonly setting?: string
  /** How a value was once written: where it is the same, it is sent in the same letters. */
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
  /** The whole as it was once written: a JSON value, or names and texts of a form. */
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
  /** How lists and objects are written in a form; as JSON without it. */
  readonly style?: Style
  readonly explode?: boolean
  readonly mediaType?: string
  readonly isFile?: boolean
  /** File name for files without one. */
  readonly fileName?: string
}

export interface PlannedAnswer {
  /** `object`: structured as it comes; `value`: structured as `{ value }`; `any`: whatever comes. */
  readonly form: 'object' | 'value' | 'any'
  /** The response schema for `object` and `value`; for `value` inside `{ value }`. */
  readonly schema?: JsonSchema
  readonly about?: string
  /** Every answer by its status, as the description words it. */
  readonly statuses?: Readonly<Record<string, string>>
  /** Value of the header `accept`. */
  readonly accept: string
}
