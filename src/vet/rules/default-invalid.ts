import type { Found, Rule } from '../finding.js'
import { misfitsOf } from '../misfits.js'
import { placeIn, schemasIn } from '../surface.js'

export const defaultInvalid: Rule = {
  id: 'default-invalid',
  group: 'schemas',
  severity: 'error',
  about: 'Defaults that do not fit their own schema.',
  check: async ({ tools }) => {
    const found: Found[] = []
    for (const tool of tools)
      for (const { schema, path } of schemasIn(tool.inputSchema)) {
        if (schema.default === undefined || JSON.stringify(schema).includes('"$ref"')) continue
        const [misfit] = await misfitsOf(schema, schema.default)
        if (misfit)
          found.push({
            where: placeIn(tool, path),
            what: `the default ${JSON.stringify(schema.default)} does not fit its schema: ${misfit}`,
            fix: 'set a default that fits',
          })
      }
    return found
  },
}
