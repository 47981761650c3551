import { isObject } from '../../protocol/messages.js'
import type { Rule } from '../finding.js'
import { inTool, schemasIn, schemasOf } from '../snapshot.js'

export const schemaRequiredUnknown: Rule = {
  id: 'schema-required-unknown',
  group: 'schemas',
  severity: 'error',
  about: 'Required arguments that are not defined.',
  check: ({ tools }) =>
    tools.flatMap((tool) =>
      schemasOf(tool).flatMap(({ of, schema }) =>
        [...schemasIn(schema)].flatMap(({ schema: { required, properties, type } }) => {
          if (!Array.isArray(required) || (type !== 'object' && !isObject(properties))) return []
          const missing = required.filter(
            (name) => !isObject(properties) || !Object.hasOwn(properties, String(name)),
          )
          return missing.map((name) => ({
            location: inTool(tool),
            problem: `the ${of} requires "${name}", which is not defined`,
            fix: 'define it in properties, or remove it from required',
          }))
        }),
      ),
    ),
}
