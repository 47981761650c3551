import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { planCurl } from 'jexo/curl'
import { parse } from 'yaml'
import { written } from '../support/cli.js'

/** Requests in one file each, with the plan that they amount to. */
const folder = join(import.meta.dirname, 'cases/curl')
const cases = readdirSync(folder).map((name) => parse(readFileSync(join(folder, name), 'utf8')))

test.each(cases)('$says', async ({ source, name = 'README.md', options, plan }) => {
  const file = pathToFileURL(written(name, source))
  const found = await planCurl(file, { writes: true, ...options })
  expect(JSON.parse(JSON.stringify(found))).toStrictEqual(plan)
})
