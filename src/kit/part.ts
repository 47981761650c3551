import { isObject, type JsonObject } from '../protocol/messages.js'
import type {
  Annotations,
  ContentBlock,
  Icon,
  PromptArgument,
  PromptMessage,
  ResourceDefinition,
  ToolAnnotations,
} from '../protocol/types.js'
import type { ViewMeta } from '../protocol/ui.js'
import type { UriTemplate } from '../protocol/uri-template.js'
import { brands, hasBrand } from './brand.js'
import type { Call, Completer, Identity } from './call.js'
import type { Effect } from './effects.js'
import { kitErrors } from './errors.js'
import { checkLayers, type Layer } from './layer.js'
import type { JsonSchema, NoOutput, Schema } from './schema.js'
import { anyScope, isScope } from './scope.js'
import type { Settings } from './settings.js'
import type { Shared } from './shared.js'

/** Options that all four kinds of parts have. */
export interface PartExtras<S extends Settings = Settings> {
  /** Display name; the model sees `name`. */
  title?: string
  tags?: readonly string[]
  icons?: readonly Icon[]
  /** Sent as `_meta` of the definition. */
  meta?: JsonObject
  /** Settings of this part: they become settings of any kit that contains it, and `call.settings` has their names. */
  settings?: S
  /**
   * Scopes that a caller needs. A call without them is refused with an error that names them. Not checked over stdio or
   * without sign-in.
   */
  scopes?: readonly string[]
  /** False for callers who must not see the part. Not checked over stdio or without sign-in. */
  visibleTo?: (identity: Identity) => boolean
  /** Functions around calls of this part, outermost first, inside those of the kit. */
  layers?: readonly Layer[]
  /**
   * The shared connection that the part reads from; opened when a host subscribes, or at startup if it is declared
   * `isEager`.
   */
  source?: Shared<unknown>
}
export interface Example<Arguments = { readonly [argument: string]: unknown }, Result = unknown> {
  input: Arguments
  output?: Result
}

export interface Confirm {
  say(input: unknown): string
  ifPossible: boolean
}

interface PartBase extends Readonly<PartExtras> {
  readonly name: string
  readonly about: string
}
export interface ToolPart<Name extends string = string, Arguments = unknown, Result = unknown> extends PartBase {
  readonly kind: 'tool'
  readonly name: Name
  /** For the compiler only: the types of the tool for a link to your own kit. */
  readonly types?: { arguments: Arguments; result: Result }
  readonly input: Schema | undefined
  readonly output: Schema | NoOutput | undefined
  readonly inputSchema: JsonSchema
  readonly outputSchema: JsonSchema | undefined
  readonly effect: Effect
  readonly examples: readonly Example[]
  /** A question for the user before the tool runs. */
  readonly confirm: Confirm | undefined
  /** Required arguments that a form asks for if they are missing. */
  readonly askFor: readonly string[]
  /** Whether callers may, or must, run it as a task; undefined if they cannot. */
  readonly task: 'optional' | 'required' | undefined
  /** Its tasks continue when the process that runs them ends. */
  readonly durable: { attempts: number; backoff: { firstMs: number; grows: boolean } } | undefined
  /** The view that shows its result in hosts that show views. */
  readonly view: ViewPart | undefined
  /**
   * Whether views may call it too, or only views may; undefined if only the model and the view that shows its result
   * may.
   */
  readonly forPages: 'too' | 'only' | undefined
  /** Another server checks its arguments and results; neither is checked here. */
  readonly passes?: boolean
  /** Annotations that are sent instead of those of the effect. */
  readonly hints?: ToolAnnotations
  readonly run: (input: unknown, call: Call) => unknown
}

/** Retries of a durable task. */
export interface Durable {
  /**
   * Maximum number of attempts, including those that ended with their process or with an unexpected error. Default: 3.
   */
  attempts?: number
  /** Delay after a failure: `firstMs` milliseconds, doubled each time if it `grows`. Default: 1,000, growing. */
  backoff?: { firstMs?: number; grows?: boolean }
}
/** For wraps that need to know which resources have subscribers. */
export interface Watched {
  readonly subscribe?: (uri: string, call: Call) => Promise<void>
  readonly unsubscribe?: (uri: string, call: Call) => Promise<void>
}
export interface ResourcePart extends PartBase, Watched {
  readonly kind: 'resource'
  readonly uri: string
  readonly mimeType: string | undefined
  readonly size: number | undefined
  readonly annotations: Annotations | undefined
  readonly read: (call: Call) => unknown
}
/** A view that tools show inside a host: a resource for hosts, not for models. */
export interface ViewPart extends ResourcePart {
  readonly page: URL | string
  /** Sent as `_meta.ui` of its content. */
  readonly ui: ViewMeta
  /** Another server has the document; it is read from there. */
  readonly passes?: boolean
}
export interface TemplatePart extends PartBase, Watched {
  readonly kind: 'template'
  readonly uriTemplate: string
  readonly parsed: UriTemplate
  readonly mimeType: string | undefined
  readonly annotations: Annotations | undefined
  readonly list:
    | ((call: Call) => readonly ResourceDefinition[] | Promise<readonly ResourceDefinition[]>)
    | undefined
  readonly complete: Readonly<Record<string, Completer>>
  readonly read: (variables: Readonly<Record<string, string>>, call: Call) => unknown
}
export interface PromptPart extends PartBase {
  readonly kind: 'prompt'
  readonly input: Schema | undefined
  readonly inputSchema: JsonSchema
  readonly arguments: readonly PromptArgument[]
  readonly complete: Readonly<Record<string, Completer>>
  readonly run: (args: unknown, call: Call) => unknown
}
/** A tool, resource, template or prompt: frozen data and a function. */
export type Part = ToolPart | ResourcePart | TemplatePart | PromptPart
export type PartKind = Part['kind']

/** Result of `read`: text, bytes, several embedded contents, or any other value, which is sent as JSON. */
export type ReadReturn = unknown
/** A message of a prompt; a plain string as content is text. */
export interface MessageGiven {
  role: PromptMessage['role']
  content: ContentBlock | string
}

export const isPart = (value: unknown): value is Part => hasBrand(value, brands.part)

/** The identifier of a part within its kind: a name or a URI. */
export function keyOf(part: Part): string {
  if (part.kind === 'resource') return part.uri
  return part.kind === 'template' ? part.uriTemplate : part.name
}

/** The name of a part in errors: `tool "weigh_hive"`. */
export const labelOf = (kind: PartKind | 'view', key: string): string => `${kind} "${key}"`

const namePattern = /^[A-Za-z0-9_.-]{1,128}$/

export function checkName(kind: PartKind, name: unknown): asserts name is string {
  if (typeof name !== 'string' || !namePattern.test(name)) throw kitErrors.partName(kind, String(name))
}

export function checkAbout(label: string, about: unknown): asserts about is string {
  if (typeof about !== 'string' || about.trim() === '') {
    throw kitErrors.partField(label, 'about', 'a sentence that describes its purpose, by which a model chooses it')
  }
}

export function checkFunction(label: string, field: string, value: unknown): void {
  if (typeof value !== 'function') throw kitErrors.partField(label, field, 'a function')
}

export function checkScopes(label: string, scopes: unknown): void {
  if (
    scopes !== undefined &&
    !(Array.isArray(scopes) && scopes.every((scope) => isScope(scope) && scope !== anyScope))
  )
    throw kitErrors.partField(label, 'scopes', 'a list of scopes without spaces, such as hives.write')
}

export function checkVisibility(label: string, visibleTo: unknown): void {
  if (visibleTo !== undefined) checkFunction(label, 'visibleTo', visibleTo)
}

/** The extras without undefined values. */
export function extrasOf(label: string, given: PartExtras): PartExtras {
  const { title, tags, icons, meta, settings, source, scopes, visibleTo } = given
  const layers = checkLayers(label, given.layers)
  checkScopes(label, scopes)
  checkVisibility(label, visibleTo)
  return {
    ...(title === undefined ? {} : { title }),
    ...(tags === undefined ? {} : { tags: Object.freeze([...tags]) }),
    ...(icons === undefined ? {} : { icons: Object.freeze([...icons]) }),
    ...(isObject(meta) ? { meta } : {}),
    ...(settings === undefined ? {} : { settings: Object.freeze({ ...settings }) }),
    ...(source === undefined ? {} : { source }),
    ...(scopes === undefined || scopes.length === 0 ? {} : { scopes: Object.freeze([...scopes]) }),
    ...(visibleTo === undefined ? {} : { visibleTo }),
    ...(layers.length === 0 ? {} : { layers }),
  }
}
