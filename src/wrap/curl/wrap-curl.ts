import type { Part } from '../../kit/part.js'
import { mostToolsFrom } from '../http-api/limits.js'
import type { RestPlan } from '../http-api/operation.js'
import { planningOptions, type RestOptions, restPartsOf } from '../http-api/parts.js'
import { reasonsOf } from '../http-api/reasons.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { frozenOr } from '../source/frozen.js'
import { sourceFile } from '../source/source.js'
import type { CurlPlanOptions } from './plan.js'

export interface WrapCurlOptions extends CurlPlanOptions, RestOptions {}

/**
 * Turns written requests into tools: curl commands in a text or a Markdown page, an `.http` file, a HAR recording.
 * Requests that only differ in values become one tool with these values as arguments; tokens become settings, and are
 * never output. Only read-only requests are included, unless `writes` is set.
 *
 * Rejects with a `JexoError` if the file cannot be read, or contains no usable request.
 *
 * @example parts: [...await wrapCurl(new URL('./README.md', import.meta.url))]
 */
export async function wrapCurl(source: URL | string, options: WrapCurlOptions = {}): Promise<Part[]> {
  const plan = await frozenOr('curl', source, planningOptions(options), () => planCurl(source, options), {
    mayHoldSecrets: true,
  })
  if (plan.operations.length === 0) throw kitWriterErrors.wrapTakesNothing(sourceFile(source), reasonsOf(plan))
  return restPartsOf(plan, options)
}

/** Returns the plan, as `jexo wrap` shows it. */
export async function planCurl(source: URL | string, options: WrapCurlOptions = {}): Promise<RestPlan> {
  const { readRequests } = await import('./read.js')
  const { planRequests } = await import('./plan.js')
  const mostTools = options.mostTools ?? mostToolsFrom(process.env)
  return planRequests(
    await readRequests(sourceFile(source)),
    { ...options, mostTools },
    options.files !== undefined,
  )
}
