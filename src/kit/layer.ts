import type { JsonObject } from '../protocol/messages.js'
import { branded, brands, hasBrand, nameOf } from './brand.js'
import type { Call } from './call.js'
import { kitErrors } from './errors.js'
import type { Part } from './part.js'

/** The requests that layers can surround. */
export type LayeredMethod = 'tools/call' | 'resources/read' | 'prompts/get' | 'completion/complete'

/**
 * Counts a call in a window of time that begins with the first one; refuses calls over the maximum. Rejects with a
 * `JexoError` while the counters cannot be reached.
 */
export type TakeCount = (
  name: string,
  most: number,
  perMs: number,
) => Promise<{ isAllowed: boolean; resetsInMs: number }>

/** Counters that all processes of a server share. */
export interface Counters {
  readonly take: TakeCount
  /** Prefix of the names of a layer's counters, the same in every process. */
  nameOf(layer: Layer): string
}

/** A call as a layer sees it: all data that the part's function receives, and the part. */
export interface LayerCall extends Call {
  readonly method: LayeredMethod
  readonly part: Part
  /** The URI of a read request; undefined for other requests. */
  readonly uri: string | undefined
  /**
   * The checked input: arguments of a tool or prompt, variables of a template, the typed text of a completion. A layer
   * may replace it before it calls `next`; it is then checked again.
   */
  input: unknown
  /** Undefined if the server has no store; this process then counts alone. */
  readonly counters: Counters | undefined
  /** Aborts `call.signal` with another signal, such as that of a time limit. */
  abortWith(signal: AbortSignal): void
}

/** Calls the next layer or the part, and resolves to its result. May be called again, to retry. */
export type Next = () => Promise<unknown>

/** Reports what the layer did, for hosts that show it and for traces: `refused`, `delayed`, `retried`, `answered`. */
export type LayerNote = (what: string, detail?: JsonObject) => void

export type LayerFunction = (call: LayerCall, next: Next, note: LayerNote) => unknown

export interface LayerOptions {
  /** Parts that it surrounds: names, URIs, `tag:…`, with `*` for any characters. Default: all. */
  only?: readonly string[]
  /** Requests that it surrounds. Default: all. */
  methods?: readonly LayeredMethod[]
  /** Called when a part reports that a resource changed. */
  onResourceUpdated?: (uri: string) => void
  /** Parts that the layer adds to a kit, such as a template for stored results. */
  parts?: readonly Part[]
}

/** A function around calls: limits, cache, audit. Plain frozen data. */
export interface Layer extends Readonly<LayerOptions> {
  readonly name: string
  readonly around: LayerFunction
}

/**
 * Defines a layer. It may return a result, change the input or the result, throw a `Refusal`, or call `next` again. Throws a `JexoError` if something is missing.
 *
 * @example
 * const timed = layer('timed', async (call, next) => {
 *   const startedAt = performance.now()
 *   try {
 *     return await next()
 *   } finally {
 *     call.log.info(`${call.part.name} took ${Math.round(performance.now() - startedAt)} ms`)
 *   }
 * })
 */
export function layer(name: string, around: LayerFunction, options: LayerOptions = {}): Layer {
  if (typeof name !== 'string' || !/^[\w.-]{1,64}$/.test(name)) throw kitErrors.layerName(String(name))
  if (typeof around !== 'function') throw kitErrors.partField(`layer "${name}"`, 'its function', 'a function')
  const { only, methods, onResourceUpdated, parts } = options
  return branded(
    {
      name,
      around,
      ...(only ? { only: Object.freeze([...only]) } : {}),
      ...(methods ? { methods: Object.freeze([...methods]) } : {}),
      ...(onResourceUpdated ? { onResourceUpdated } : {}),
      ...(parts ? { parts: Object.freeze([...parts]) } : {}),
    },
    brands.layer,
  )
}

export const isLayer = (value: unknown): value is Layer => hasBrand(value, brands.layer)

/** Throws a `JexoError` if these are not layers. */
export function checkLayers(label: string, layers: unknown): readonly Layer[] {
  if (layers === undefined) return []
  if (!Array.isArray(layers)) throw kitErrors.partField(label, 'layers', `a list of layers, not ${nameOf(layers)}`)
  for (const one of layers)
    if (!isLayer(one)) throw kitErrors.partField(label, 'layers', `layers made by layer(), not ${nameOf(one)}`)
  return Object.freeze([...layers])
}
