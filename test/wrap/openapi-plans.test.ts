import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { planOpenApi } from 'jexo/openapi'
import { parse } from 'yaml'
import { written } from '../support/cli.js'

/** One description of an API in each file, with the plan that it amounts to. */
const folder = join(import.meta.dirname, 'cases/openapi')
const cases = readdirSync(folder).map((name) => parse(readFileSync(join(folder, name), 'utf8')))

test.each(cases)('$says', async ({ source, options, plan }) => {
  const found = await planOpenApi(pathToFileURL(written('hives.openapi.yaml', source)), options)
  expect(JSON.parse(JSON.stringify(found))).toStrictEqual(plan)
})
