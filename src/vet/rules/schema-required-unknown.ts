import { isObject } from '../../protocol/messages.js'
import type { Rule } from '../finding.js'
import { inTool, schemasIn, schemasOf } from '../surface.js'

export const schemaRequiredUnknown: Rule = {
  id: 'schema-required-unknown',
  group: 'schemas',
  severity: 'error',
  about: 'Arguments that are required and not described.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      schemasOf(tool).flatMap(({ of, schema }) =>
        [...schemasIn(schema)].flatMap(({ schema: { required, properties, type } }) => {
          if (!Array.isArray(required) || (type !== 'object' && !isObject(properties))) return []
          const missing = required.filter(
            (name) => !isObject(properties) || !Object.hasOwn(properties, String(name)),
          )
          return missing.map((name) => ({
            where: inTool(tool),
            what: `its ${of} requires "${name}" and does not say what that is`,
            mend: 'describe it in properties, or require it no more',
          }))
        }),
      ),
    ),
}
