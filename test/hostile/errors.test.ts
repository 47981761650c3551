import { defineKit, prompt, resource, shared, tool } from 'jexo'
import { connect } from 'jexo/node'
import { wrapOpenApi } from 'jexo/openapi'
import { wrapSql } from 'jexo/sql'
import { kitErrors } from '../../src/kit/errors.js'
import { packageMissing } from '../../src/optional-packages.js'
import { httpApiErrors } from '../../src/wrap/http-api/errors.js'
import { moduleErrors } from '../../src/wrap/module/errors.js'
import { sqlErrors } from '../../src/wrap/sql/errors.js'
import { newFolder } from '../support/cli.js'

/** Text for an operator (addresses, files, commands, variables) stays in the log; the model gets a sentence and an id. */
const place = '/srv/apiary/secret-place.sqlite'
const failing = (error: () => Error) => () => {
  throw error()
}
const errors: readonly (readonly [name: string, error: () => Error])[] = [
  ['a missing file', () => moduleErrors.sourceMissing(place)],
  [
    'an unreachable database',
    () => sqlErrors.sqlUnreachable('10.0.0.7:5432/ledger', 'connect ECONNREFUSED 10.0.0.7:5432'),
  ],
  ['a missing package', () => packageMissing(['pg'], 'using PostgreSQL')],
  ['a private address', () => httpApiErrors.upstreamPrivate('intern.example', '10.0.0.7')],
  ['a missing setting', () => kitErrors.settingsMissing(['LEDGER_PASSWORD (Password of the ledger)'])],
  ['a failed token', () => httpApiErrors.upstreamToken('http://10.0.0.7/token', 401, ['A_ID', 'A_SECRET'])],
  ['an error of its own', () => new Error(`cannot open ${place} at 10.0.0.7; run npm install`)],
]
const forbidden = /10\.0\.0\.7|secret-place|\/srv|npm install|LEDGER_PASSWORD|A_SECRET|--env|JEXO_/

test.each(errors)('%s', async (_name, error) => {
  const source = shared(failing(error))
  const parts = [
    tool('fails', { about: 'Fails.', effect: 'read', run: failing(error) }),
    tool('opens', { about: 'Opens.', effect: 'read', run: async (_, call) => String(await call.use(source)) }),
    resource('hives://one', { name: 'one', about: 'One.', read: failing(error) as never }),
    prompt('ask', { about: 'Asks.', run: failing(error) } as never),
  ]
  const reports: string[] = []
  const link = await connect(defineKit({ name: 'hives', version: '1', parts }), {
    environment: {},
    report: ({ text }: { text: string }) => void reports.push(text),
  } as never)
  const texts = [
    JSON.stringify(await link.call('fails')),
    JSON.stringify(await link.call('opens')),
    await link.read('hives://one').catch((failure) => JSON.stringify([failure.message, failure.data])),
    await link.fill('ask').catch((failure) => JSON.stringify([failure.message, failure.data])),
  ]
  for (const text of texts) expect(String(text)).not.toMatch(forbidden)
  // The operator finds the full error under the id.
  const [, id = ''] = /error ([0-9a-f]{8})/.exec(String(texts[0])) ?? []
  expect(reports.find((text) => text.includes(id))).toContain(error().message)
  await link.close()
})

test('the error for an unreachable API or database contains neither address nor file', async () => {
  const description = {
    openapi: '3.1.0',
    info: { title: 'Hives', version: '1' },
    servers: [{ url: 'http://127.0.0.1:9' }],
    paths: { '/x': { get: { operationId: 'x', responses: {} } } },
  }
  const file = `${newFolder()}/secret-place.sqlite`
  const parts = [
    ...(await wrapOpenApi(description as never, { limits: { retries: 0 } })),
    ...(await wrapSql(file, { adHoc: true, name: 'ledger' })),
  ]
  const link = await connect(defineKit({ name: 'hives', version: '1', parts }), {
    environment: {},
    report: () => {},
  } as never)
  for (const [name, args] of [
    ['x', {}],
    ['ask_ledger', { sql: 'select 1' }],
  ] as const) {
    const result = await link.call(name, args)
    expect(result.isError).toBe(true)
    expect(JSON.stringify(result)).not.toMatch(/127\.0\.0\.1|secret-place|JEXO_/)
  }
  await link.close()
})
