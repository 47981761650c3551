import type { Part } from '../../kit/part.js'
import type { JsonObject } from '../../protocol/messages.js'
import { mostToolsFrom } from '../http-api/limits.js'
import type { RestPlan } from '../http-api/operation.js'
import { planningOptions, type RestOptions, restPartsOf } from '../http-api/parts.js'
import { reasonsOf } from '../http-api/reasons.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { frozenOr } from '../source/frozen.js'
import { sourceUrl } from '../source/source.js'
import type { OpenApiPlanOptions } from './plan.js'

export interface WrapOpenApiOptions extends OpenApiPlanOptions, RestOptions {}
/** A description: a file as `URL` or absolute path, an `http(s):` URL, or the value itself. */
export type OpenApiSource = URL | string | JsonObject

/**
 * Turns the operations of a REST API into tools, by its OpenAPI description (2.0, 3.0 or 3.1; JSON or YAML). Only read-only operations are included, unless `writes` is set. The base URL and the credentials become settings of the kit. A packed kit needs no
 * description.
 *
 * Rejects with a `JexoError` if the description cannot be read, or nothing of it is taken.
 *
 * @example parts: [...await wrapOpenApi(new URL('./registry.yaml', import.meta.url), { only: ['tag:hives'] })]
 */
export async function wrapOpenApi(source: OpenApiSource, options: WrapOpenApiOptions = {}): Promise<Part[]> {
  const plan = await frozenOr('openapi', source, planningOptions(options), () => planOpenApi(source, options))
  if (plan.operations.length === 0) throw kitWriterErrors.wrapTakesNothing(labelOf(source), reasonsOf(plan))
  return restPartsOf(plan, options)
}

/** Returns the plan, as `jexo wrap` shows it. */
export async function planOpenApi(source: OpenApiSource, options: WrapOpenApiOptions = {}): Promise<RestPlan> {
  // A packed kit contains its plan, and starts without the code that reads descriptions.
  const { readOpenApi } = await import('./read.js')
  const { planOperations } = await import('./plan.js')
  const reading = await readOpenApi(
    typeof source === 'string' || source instanceof URL ? sourceUrl(source) : source,
    options.allowReferences,
  )
  const mostTools = options.mostTools ?? mostToolsFrom(process.env)
  return planOperations(reading, { ...options, mostTools }, options.files !== undefined)
}

export const labelOf = (source: OpenApiSource): string =>
  typeof source === 'string' ? source : source instanceof URL ? source.href : 'the description'
