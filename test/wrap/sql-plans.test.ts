import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { parse } from 'yaml'
import { planDatabase } from '../../src/wrap/sql/plan.js'
import { queriesIn } from '../../src/wrap/sql/queries.js'

/** Statements in one file each, with what a database says of them, and the plan that they amount to. */
const folder = join(import.meta.dirname, 'cases/sql')
const cases = readdirSync(folder).map((name) => parse(readFileSync(join(folder, name), 'utf8')))

test.each(cases)('$says', ({ dialect, sql, tables, described = {}, refused, options, plan }) => {
  const queries = queriesIn(sql, 'queries.sql', dialect).map((query) => {
    const found = described[query.name]
    return found ? { ...query, described: found } : query
  })
  const address = { dialect, name: 'ledger', setting: 'LEDGER_URL' }
  const found = planDatabase({ address, queries, tables, refused }, options)
  expect(JSON.parse(JSON.stringify(found))).toStrictEqual(plan)
})
