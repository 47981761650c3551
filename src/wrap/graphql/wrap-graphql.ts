import type { Part } from '../../kit/part.js'
import { mostToolsFrom } from '../http-api/limits.js'
import { partsKitOf, planningOptions, type RestOptions, restPartsOf } from '../http-api/parts.js'
import { reasonsOf } from '../http-api/reasons.js'
import { kitWriterErrors } from '../kit-writer/errors.js'
import { contentMark, frozenOr } from '../source/frozen.js'
import { sourceFile } from '../source/source.js'
import { adHocParts } from './ad-hoc.js'
import { openEnvelope } from './envelope.js'
import type { GraphPlan, GraphPlanOptions } from './plan.js'

export interface WrapGraphqlOptions extends GraphPlanOptions, RestOptions {
  /** Files with operations, `URL` or absolute path. Default: one operation for each root field. */
  readonly operations?: readonly (URL | string)[]
  /** Headers of the introspection query; not stored. */
  readonly introspectionHeaders?: Readonly<Record<string, string>>
}

/**
 * Turns operations on a GraphQL API into tools: variables become arguments, the selection the response's schema. The source is an SDL
 * file, a file with the result of introspection, or the endpoint itself. Mutations are included only by name or with `writes`.
 *
 * Rejects with a `JexoError` if the schema cannot be read, or nothing of it is taken.
 *
 * @example
 * parts: [...await wrapGraphql(new URL('./ledger.graphql', import.meta.url), {
 *   operations: [new URL('./batches.graphql', import.meta.url)], baseUrl: 'https://ledger.example/graphql',
 * })]
 */
export async function wrapGraphql(source: URL | string, options: WrapGraphqlOptions = {}): Promise<Part[]> {
  const { introspectionHeaders: _secret, operations = [], ...rest } = planningOptions(options)
  const plan = await frozenOr(
    'graphql',
    source,
    { ...rest, operations: operations.map((file) => contentMark(sourceFile(file))) },
    () => planGraphql(source, options),
  )
  if (plan.operations.length === 0 && plan.sdl === undefined)
    throw kitWriterErrors.wrapTakesNothing(String(source), reasonsOf(plan))
  // All operations share one client.
  const kit = partsKitOf(plan, options, openEnvelope)
  return [
    ...(plan.operations.length > 0 ? restPartsOf(plan, options, kit) : []),
    ...(plan.sdl === undefined ? [] : adHocParts(plan, plan.sdl, kit)),
  ]
}

/** Returns the plan, as `jexo wrap` shows it. */
export async function planGraphql(source: URL | string, options: WrapGraphqlOptions = {}): Promise<GraphPlan> {
  const { readGraph } = await import('./read.js')
  const { planSelections } = await import('./plan.js')
  const reading = await readGraph(source, options.operations ?? [], options.introspectionHeaders)
  const mostTools = options.mostTools ?? mostToolsFrom(process.env)
  return planSelections(reading, { ...options, mostTools })
}
