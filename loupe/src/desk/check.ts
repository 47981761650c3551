import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'

const compiled = new WeakMap<object, (value: unknown) => string[]>()

/** What does not fit a schema (2020-12), in words; empty if all does. A schema that cannot be used says so. */
export function issuesOf(schema: object, value: unknown): string[] {
  const known = compiled.get(schema)
  const check = known ?? compile(schema)
  if (!known) compiled.set(schema, check)
  return check(value)
}

function compile(schema: object): (value: unknown) => string[] {
  try {
    const ajv = new Ajv2020({ strict: false, allErrors: true, validateFormats: true })
    addFormats.default(ajv)
    const validate = ajv.compile(schema)
    return (value) =>
      validate(value)
        ? []
        : (validate.errors ?? []).map(({ instancePath, message = 'does not fit', params }) => {
            const place = instancePath.slice(1).replaceAll('/', '.') || 'the arguments'
            const more =
              'allowedValues' in params ? ` (${(params.allowedValues as unknown[]).slice(0, 8).join(', ')})` : ''
            return `${place}: ${message}${more}`
          })
  } catch {
    // The server will say what it thinks of them.
    return () => []
  }
}
