import type { TakenApart, TakenBody } from './taken-apart.js'

/** Groups requests with the same place and form, in the order of the first of each. */
export function grouped(requests: readonly TakenApart[]): TakenApart[][] {
  const groups = new Map<string, TakenApart[]>()
  for (const taken of requests) {
    const { request, origin, segments, body } = taken
    const path = segments.map(({ text, variable }) => (variable === undefined ? text : '{}'))
    const key = JSON.stringify([request.method, origin, path, body?.form, graphOperation(body)])
    const group = groups.get(key)
    if (group) group.push(taken)
    else groups.set(key, [taken])
  }
  return [...groups.values()]
}

/** GraphQL operations have the same URL, so they are grouped by name or by text. */
export function graphOperation(body: TakenBody | undefined): string | undefined {
  const json = body?.json as { query?: unknown; operationName?: unknown } | undefined
  if (typeof json?.query !== 'string' || !/^\s*(query|mutation|subscription|fragment|\{|#)/.test(json.query))
    return undefined
  return typeof json.operationName === 'string' ? json.operationName : json.query
}
