import { isObject, type JsonObject } from '../../protocol/messages.js'
import type { Rule } from '../finding.js'
import { inTool, schemasIn } from '../snapshot.js'

/** Definitions that refer to themselves. */
function loopsIn(root: JsonObject): string[] {
  const refsIn = (schema: unknown) =>
    [...schemasIn(schema)].flatMap(({ schema: { $ref } }) => (typeof $ref === 'string' ? [$ref] : []))
  const targetOf = (ref: string) =>
    ref
      .replace(/^#\/?/, '')
      .split('/')
      .filter(Boolean)
      .reduce<unknown>(
        (at, key) => (isObject(at) ? at[key.replaceAll('~1', '/').replaceAll('~0', '~')] : undefined),
        root,
      )
  const reaches = (ref: string, wanted: string, seen: Set<string>): boolean =>
    refsIn(targetOf(ref)).some(
      (next) => next === wanted || (!seen.has(next) && reaches(next, wanted, seen.add(next))),
    )
  return [...new Set(refsIn(root))].filter((ref) => ref === '#' || reaches(ref, ref, new Set([ref])))
}

export const schemaRecursive: Rule = {
  id: 'schema-recursive',
  group: 'schemas',
  severity: 'warning',
  about: 'Recursive inputs.',
  check: ({ tools }) =>
    tools.flatMap((tool) => {
      const names = loopsIn(tool.inputSchema)
      return names.map((name) => ({
        location: inTool(tool),
        problem: `the input is recursive ($ref ${name}); some chat endpoints reject that`,
        fix: 'define each level that is needed',
      }))
    }),
}
