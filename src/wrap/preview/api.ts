import { planCurl } from '../curl/wrap-curl.js'
import { planGraphql } from '../graphql/wrap-graphql.js'
import { restChangesSince, restKitOf } from '../http-api/kit.js'
import { wrapKitEntry } from '../kit-writer/wrap-kit.js'
import { planOpenApi } from '../openapi/wrap-openapi.js'
import type { Preview, SourceOptions } from './preview.js'

const planners = { openapi: planOpenApi, curl: planCurl, graphql: planGraphql }

export async function previewApi(
  kind: keyof typeof planners,
  source: string,
  options: SourceOptions,
  introspectionHeaders?: Readonly<Record<string, string>>,
): Promise<Preview> {
  const plan = await planners[kind](source, { ...options, ...(introspectionHeaders && { introspectionHeaders }) })
  return {
    form: 'api',
    plan,
    isEmpty: plan.operations.length === 0 && !('sdl' in plan),
    entry: (variable) => wrapKitEntry(restKitOf(kind, plan, source, options), variable),
    changesSince: (outFile) => restChangesSince(outFile, { kind, source }, plan),
  }
}
