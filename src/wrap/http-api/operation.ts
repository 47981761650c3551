import type { Effect } from '../../kit/effects.js'
import type { Example } from '../../kit/part.js'
import type { JsonSchema } from '../../kit/schema.js'
import type { Credential } from './credentials.js'
import type { Paging } from './paging.js'

/** What will be taken from an API, as JSON: shown by `jexo wrap`, and frozen into packed files. */
export interface RestPlan {
  readonly version: 1
  /** The wrap that made the plan, such as `openapi`. */
  readonly kind: string
  /** Name of the API, as its description says. */
  readonly title: string
  /** The settings' prefix, or words of the title, for use in URIs: `marsh-lane-registry`. */
  readonly slug: string
  /** Where the API is; the setting overrides the base. */
  readonly base: PlannedBase
  readonly credentials: readonly Credential[]
  readonly operations: readonly PlannedOperation[]
  readonly skipped: readonly SkippedOperation[]
  readonly warnings: readonly string[]
  /** Schemas that inputs and outputs refer to by `#/$defs/…`. */
  readonly inputDefinitions: Readonly<Record<string, JsonSchema>>
  readonly outputDefinitions: Readonly<Record<string, JsonSchema>>
  /** Put before the names of the catalogue's tools. */
  readonly cataloguePrefix?: string
  /** One tool for each operation, or three tools for all of them. */
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
/** An operation that no tool is made of, and why. */
export interface SkippedOperation {
  readonly name: string
  /** `GET /hives/{hive}`, or the place in a file. */
  readonly where: string
  readonly reason: string
  readonly fix?: string
}

/** One operation of an API: the tool it becomes, and how its request is made. */
export interface PlannedOperation {
  readonly name: string
  readonly title?: string
  readonly about: string
  /** False if the source says nothing, and `about` is made from method and path. */
  readonly isDescribed: boolean
  readonly effect: Effect
  readonly tags: readonly string[]
  readonly method: string
  /** Path with `{name}` for each parameter, put after the base URL. */
  readonly path: string
  /** A base of its own, where the description gives the operation another server. */
  readonly base?: string
  /** The operation's own id, or the place it was found at. */
  readonly operationId?: string
  readonly input: JsonSchema
  readonly parameters: readonly PlannedParameter[]
  readonly body?: PlannedBody
  /** Arguments that are made for each call where they are not given: templates by their names. */
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
/** Where a value goes, and in which form. */
export interface PlannedParameter {
  /** Name of the tool's argument; undefined for what is always the same. */
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
  /** What is there always: a JSON value, or a text. */
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
  /** Where it goes in the body: one key, or a path of keys in JSON. */
  readonly path: readonly (string | number)[]
  /** How lists and objects are written in a form; as JSON without it. */
  readonly style?: Style
  readonly explode?: boolean
  readonly mediaType?: string
  readonly isFile?: boolean
  /** Sent with a file that comes without a name. */
  readonly fileName?: string
}

export interface PlannedAnswer {
  /** `object`: structured as it comes; `value`: structured as `{ value }`; `any`: whatever comes. */
  readonly form: 'object' | 'value' | 'any'
  /** What the description promises, for `object` and `value`; already within `{ value }`. */
  readonly schema?: JsonSchema
  readonly about?: string
  /** Every answer by its status, as the description words it. */
  readonly statuses?: Readonly<Record<string, string>>
  /** What is asked for, as in the header `accept`. */
  readonly accept: string
}
