import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import { metaschema } from '../../../src/kit/metaschema.js'

const compiled = new WeakMap<object, (value: unknown) => string[]>()

/** Errors of a value against a schema (2020-12), as text; empty if it is valid. An unusable schema is reported. */
export function issuesOf(schema: object, value: unknown): string[] {
  const known = compiled.get(schema)
  const check = known ?? compile(schema)
  if (!known) compiled.set(schema, check)
  return check(value)
}

function compile(schema: object): (value: unknown) => string[] {
  // The server checks the arguments itself.
  const unchecked = () => []
  try {
    if (!metaschema(schema)) return unchecked
    const ajv = new Ajv2020({ strict: false, allErrors: true, validateFormats: true, validateSchema: false })
    addFormats.default(ajv)
    const validate = ajv.compile(schema)
    return (value) =>
      validate(value)
        ? []
        : (validate.errors ?? []).map(({ instancePath, message = 'is not valid', params }) => {
            const place = instancePath.slice(1).replaceAll('/', '.') || 'the arguments'
            const more =
              'allowedValues' in params ? ` (${(params.allowedValues as unknown[]).slice(0, 8).join(', ')})` : ''
            return `${place}: ${message}${more}`
          })
  } catch {
    return unchecked
  }
}
