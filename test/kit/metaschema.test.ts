import { readFileSync } from 'node:fs'
import { Ajv } from 'ajv'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { createCompilingValidator } from '../../src/kit/compiling-validator.js'

const newest = 'https://json-schema.org/draft/2020-12/schema'
const draft7 = 'http://json-schema.org/draft-07/schema#'
const { file, generated } = (await import('../../scripts/metaschema.mjs' as string)) as {
  file: string
  generated(): string
}

test('the compiled metaschema is that of the installed Ajv: run npm run metaschema', () => {
  expect(readFileSync(file, 'utf8') === generated()).toBe(true)
})

describe.each([
  ['2020-12', undefined, new Ajv2020({ strict: false, logger: false })],
  ['2020-12, named', newest, new Ajv2020({ strict: false, logger: false })],
  ['draft 7', draft7, new Ajv({ strict: false, logger: false })],
])('a schema of %s is refused as by its metaschema', (_name, $schema, ajv) => {
  const validator = createCompilingValidator()
  test.each<Record<string, unknown>>([
    { type: 'hive' },
    { minLength: -1 },
    { minLength: 'x' },
    { required: 'a' },
    { properties: { a: 5 } },
    { properties: { a: { enum: 5 } } },
    { items: 5 },
    { anyOf: [] },
    { additionalProperties: { not: { multipleOf: 0 } } },
  ])('%j', async (broken) => {
    const schema = $schema === undefined ? broken : { $schema, ...broken }
    let message = 'none'
    try {
      ajv.validateSchema(schema, true)
    } catch (error) {
      message = (error as Error).message
    }
    await expect(validator.prepare(schema)).rejects.toThrow(message)
  })
})

test.each([
  ['http://json-schema.org/draft-06/schema#', false],
  ['https://json-schema.org/draft/2020-12/schema#', true],
  ['https://hives.example/schema', false],
])('the dialect %s is known: %s', async ($schema, expected) => {
  const check = createCompilingValidator().prepare({ $schema, type: 'string' })
  if (expected) expect((await check)(5)).toHaveLength(1)
  else await expect(check).rejects.toThrow(`no schema with key or ref "${$schema}"`)
})

test('a dialect that is not text is refused', async () => {
  await expect(createCompilingValidator().prepare({ $schema: null })).rejects.toThrow('$schema must be a string')
})
