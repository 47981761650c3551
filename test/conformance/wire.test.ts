import { join } from 'node:path'
import { serveHttp } from 'jexo/node'
import { revisions } from '../../src/protocol/revisions.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { childServer } from '../../src/vet/wire/child-talk.js'
import { httpServer, twoEndpointServer } from '../../src/vet/wire/http-talk.js'
import { requirements } from '../../src/vet/wire/table.js'
import type { WireServer } from '../../src/vet/wire/talk.js'
import { jexo, newFolder } from '../support/cli.js'
import kit from './everything.kit.js'
import { rowsFor, StreamTalk, subject } from './subject.js'

const folder = newFolder()
let service: Awaited<ReturnType<typeof serveHttp>>
beforeAll(async () => {
  service = await serveHttp(kit)
  const packed = await jexo('pack', `${import.meta.dirname}/everything.kit.ts`, '--out', folder)
  expect(packed).toMatchObject({ code: 0 })
})
afterAll(() => service.close())

const processes = (): WireServer =>
  childServer({ command: process.execPath, args: [join(folder, 'everything.mjs')] })
const servers: [WireServer['transport'], () => WireServer][] = [
  ['stdio', () => ({ transport: 'stdio', open: async () => new StreamTalk(kit) })],
  ['http', () => httpServer(service.url)],
  ['two-endpoint', () => twoEndpointServer(service.url.replace(/\/mcp$/, '/sse'))],
]

describe.each(revisions.map((revision) => [revision.date, revision] as const))('in %s', (_date, revision) => {
  describe.each(servers)('over %s', (transport, serverOf) => {
    let check: WireCheck
    beforeAll(() => {
      check = new WireCheck(serverOf(), revision, subject)
    })
    afterAll(() => check.close())

    const rows = rowsFor(transport, revision.short)
    test.each(rows.map((row) => [row.id, row] as const))('%s', async (_id, row) => {
      expect({ says: row.says, ...(await check.check(row)) }).toStrictEqual({ says: row.says, verdict: 'met' })
    })
  })
})

test('a packed file as a separate process passes the stdio rows, and one in thirty of the others', async () => {
  const newest = revisions.reduce((one, other) => (one.date > other.date ? one : other))
  const check = new WireCheck(processes(), newest, subject)
  const rows = rowsFor('stdio', newest.short)
  for (const row of rows.filter(({ transports }, at) => transports?.length === 1 || at % 30 === 0))
    expect({ row: row.id, ...(await check.check(row)) }).toStrictEqual({ row: row.id, verdict: 'met' })
  await check.close()
})

test('every row has a unique name and applies to some revision', () => {
  const ids = requirements.map(({ id }) => id)
  expect(new Set(ids).size).toBe(ids.length)
  expect(requirements.length).toBeGreaterThan(150)
})
