import type { Ajv, ErrorObject, Options, ValidateFunction } from 'ajv'
import type { Ajv2020 } from 'ajv/dist/2020.js'
import { boundedFormat } from './formats.js'
import { nativeTest, needsLinearEngine, type PatternMaker, patternMakerFor } from './pattern.js'
import type { JsonSchema } from './schema.js'
import { distinctIssues, isRequired, noSuchProperty } from './sentences.js'
import { hasDuplicates } from './unique.js'
import { isSmall, type JsonSchemaValidator, maxIssues, type SchemaIssue, type Validate } from './validation.js'

type Compile = (schema: JsonSchema, makePattern: PatternMaker) => Validate

interface CompilingValidator extends JsonSchemaValidator {
  prepare(schema: JsonSchema): Promise<Validate>
  /** Loads Ajv and returns the compile function, for callers that limit its time. */
  prepareLater(schema: JsonSchema): Promise<() => Validate>
}

/** Checks values by JSON Schemas compiled with Ajv, which is loaded when the first plain schema is checked. */
export function createCompilingValidator(): CompilingValidator {
  let compilers: ReturnType<typeof loadCompilers> | undefined
  const prepareLater = async (schema: JsonSchema) => {
    const dialect = String(schema.$schema ?? '')
    if (/draft-0[34]|2019-09/.test(dialect)) {
      const { interpretingValidator } = await import('./interpreting-validator.js')
      const validate = await interpretingValidator.prepare(schema)
      return () => validate
    }
    compilers ??= loadCompilers()
    const { current, draft7 } = await compilers
    const makePattern = needsLinearEngine(schema) ? await patternMakerFor(schema) : nativeTest
    return () => (/draft-0[67]/.test(dialect) ? draft7 : current)(schema, makePattern)
  }
  return { prepare: async (schema) => (await prepareLater(schema))(), prepareLater }
}

/** The one of this process: it loads Ajv once. */
export const compilingValidator = createCompilingValidator()

async function loadCompilers() {
  const { Ajv, Ajv2020, addFormats, metaschema } = await import('./ajv.js')
  type AnyAjv = Ajv | Ajv2020
  const instanceOf = (Kind: new (options: Options) => AnyAjv, allErrors: boolean, makePattern: PatternMaker) => {
    // Ajv identifies patterns by their text.
    const make = (source: string) => ({ test: makePattern(source), toString: () => `/${source}/u` })
    const regExp = Object.assign(make, { code: 'undefined' })
    const ajv = new Kind({
      strict: false,
      allErrors,
      // Checked once for all instances.
      validateSchema: false,
      addUsedSchema: false,
      logger: false,
      code: { regExp: regExp as never },
    })
    addFormats(ajv as Ajv)
    boundFormats(ajv)
    ajv.removeKeyword('uniqueItems')
    ajv.addKeyword({
      keyword: 'uniqueItems',
      type: 'array',
      schemaType: 'boolean',
      error: { message: 'must not hold the same item twice' },
      validate: (isWanted: boolean, items: unknown[]) => !isWanted || !hasDuplicates(items),
    })
    return ajv
  }
  const compilerOf = (Kind: new (options: Options) => AnyAjv, isSchema?: ValidateFunction): Compile => {
    // Ajv instances are expensive; nearly all schemas use native patterns.
    const usual = instanceOf(Kind, false, nativeTest)
    const checkSchema = (schema: JsonSchema) => {
      // Ajv refuses a dialect that it does not know.
      const { $schema = usualDialect } = schema
      if (!isSchema || $schema !== usualDialect) usual.validateSchema(schema, true)
      else if (!isSchema(schema)) throw new Error(`schema is invalid: ${usual.errorsText(isSchema.errors)}`)
    }
    let usualForAll: AnyAjv | undefined
    const forAll = (makePattern: PatternMaker) => {
      if (makePattern !== nativeTest) return instanceOf(Kind, true, makePattern)
      usualForAll ??= instanceOf(Kind, true, nativeTest)
      return usualForAll
    }
    return (given, makePattern) => {
      const schema = withoutAsync(given)
      checkSchema(schema)
      const isValid = compiledBy(makePattern === nativeTest ? usual : instanceOf(Kind, false, makePattern), schema)
      let explain: ReturnType<AnyAjv['compile']> | undefined
      return (value) => {
        if (isValid(value)) return []
        // Finding every error takes time in proportion to the value; for a large value, the first error is enough.
        if (!isSmall(value)) return faultsOf(isValid.errors)
        explain ??= compiledBy(forAll(makePattern), schema)
        explain(value)
        return faultsOf(explain.errors ?? isValid.errors)
      }
    }
  }
  return { current: compilerOf(Ajv2020, metaschema), draft7: compilerOf(Ajv) }
}

const usualDialect = 'https://json-schema.org/draft/2020-12/schema'

/**
 * Compiles without caching: an Ajv instance remembers every schema, and a client receives new ones as long as it runs.
 */
function compiledBy(ajv: Ajv | Ajv2020, schema: JsonSchema): ReturnType<Ajv['compile']> {
  const validate = ajv.compile(schema)
  ajv.removeSchema(schema)
  return validate
}

function boundFormats(ajv: Ajv | Ajv2020): void {
  for (const [name, format] of Object.entries(ajv.formats)) {
    const check = checkOf(format)
    if (check) ajv.addFormat(name, boundedFormat(name, check))
  }
}

/** The check of a format for texts; undefined for formats of numbers and for unchecked formats. */
function checkOf(format: unknown): ((text: string) => boolean) | undefined {
  if (format instanceof RegExp) return (text) => format.test(text)
  if (typeof format === 'function') return format as (text: string) => boolean
  if (typeof format !== 'object' || format === null) return undefined
  const { type = 'string', validate } = format as { type?: string; validate?: unknown }
  return type === 'string' ? checkOf(validate) : undefined
}

/** With `$async`, every value would pass: the result would be a promise. */
function withoutAsync(schema: JsonSchema): JsonSchema {
  const text = JSON.stringify(schema)
  return text.includes('"$async"')
    ? JSON.parse(text, (key, value) => (key === '$async' ? undefined : value))
    : schema
}

/** A failed `contains` is reported once, not for each item. */
const isOwnFault = ({ keyword, schemaPath }: ErrorObject) => keyword !== 'if' && !schemaPath.includes('/contains/')

const faultsOf = (errors: readonly ErrorObject[] | null | undefined): SchemaIssue[] =>
  distinctIssues((errors ?? []).filter(isOwnFault).map(readError)).slice(0, maxIssues)

function readError(error: ErrorObject): SchemaIssue {
  const path = error.instancePath
    .split('/')
    .slice(1)
    .map((segment) => segment.replaceAll('~1', '/').replaceAll('~0', '~'))
    .map((segment) => (/^\d+$/.test(segment) ? Number(segment) : segment))
  const { missingProperty, additionalProperty, unevaluatedProperty } = error.params as Record<
    string,
    string | undefined
  >
  if (missingProperty !== undefined) return { path: [...path, missingProperty], reason: isRequired }
  const unknown = additionalProperty ?? unevaluatedProperty
  if (unknown !== undefined) return { path: [...path, unknown], reason: noSuchProperty }
  return { path, reason: error.message ?? error.keyword }
}
