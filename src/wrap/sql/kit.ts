import type { WrapKit } from '../kit-writer/wrap-kit.js'
import { fingerprint } from '../kit-writer/written-kit.js'
import { settingsOf } from './address.js'
import type { SqlPlan } from './plan.js'

/** The kit file of a planned database; `source` is its file, or undefined for a URL. */
export function sqlKitOf(
  { address, tools, tables, adHoc }: SqlPlan,
  source: string,
  { queries = [], ...options }: Readonly<Record<string, unknown>> & { readonly queries?: readonly string[] },
): WrapKit {
  return {
    kind: 'sql',
    source: address.url ?? source,
    options,
    ...(queries.length > 0 ? { files: { queries } } : {}),
    about: `The ${address.name} database.`,
    settings: Object.keys(settingsOf(address)),
    tools: Object.fromEntries([
      ...tools.map((tool) => [tool.name, fingerprint(tool)]),
      ...tables.map((table) => [table.uri, fingerprint(table)]),
      ...(adHoc ? [['ad hoc', '']] : []),
    ]),
  }
}
