import type { ErrorObject } from 'ajv'
import type { JsonSchema } from './schema.js'
import type { JsonSchemaValidator, Misfit, Validate } from './validation.js'

type Compile = (schema: JsonSchema) => Validate

/** Checks JSON Schema by compiling it with Ajv, which is loaded when the first plain schema is checked. */
export const compilingValidator: JsonSchemaValidator = {
  prepare(schema) {
    const dialect = String(schema.$schema ?? '')
    if (/draft-0[34]|2019-09/.test(dialect)) {
      return import('./interpreting-validator.js').then(({ interpretingValidator }) =>
        interpretingValidator.prepare(schema),
      )
    }
    compilers ??= loadCompilers()
    return compilers.then(({ current, draft7 }) => (/draft-0[67]/.test(dialect) ? draft7 : current)(schema))
  },
}

let compilers: Promise<{ current: Compile; draft7: Compile }> | undefined

async function loadCompilers() {
  const [{ Ajv }, { Ajv2020 }, formats] = await Promise.all([
    import('ajv'),
    import('ajv/dist/2020.js'),
    import('ajv-formats'),
  ])
  const addFormats = formats.default.default
  const options = { strict: false, allErrors: true, addUsedSchema: false, logger: false as const }
  const compilerOf = (ajv: InstanceType<typeof Ajv> | InstanceType<typeof Ajv2020>): Compile => {
    addFormats(ajv as InstanceType<typeof Ajv>)
    return (schema) => {
      const validate = ajv.compile(schema)
      return (value) => (validate(value) ? [] : (validate.errors ?? []).filter(isFault).map(readError))
    }
  }
  return { current: compilerOf(new Ajv2020(options)), draft7: compilerOf(new Ajv(options)) }
}

const isFault = (error: ErrorObject) => error.keyword !== 'if'

function readError(error: ErrorObject): Misfit {
  const path = error.instancePath
    .split('/')
    .slice(1)
    .map((segment) => segment.replaceAll('~1', '/').replaceAll('~0', '~'))
    .map((segment) => (/^\d+$/.test(segment) ? Number(segment) : segment))
  const { missingProperty, additionalProperty, unevaluatedProperty } = error.params as Record<
    string,
    string | undefined
  >
  if (missingProperty !== undefined) return { path: [...path, missingProperty], reason: 'it is required' }
  const unknown = additionalProperty ?? unevaluatedProperty
  if (unknown !== undefined) return { path: [...path, unknown], reason: 'there is no such argument' }
  return { path, reason: error.message ?? error.keyword }
}
