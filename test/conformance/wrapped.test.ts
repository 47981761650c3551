import type { Kit } from 'jexo'
import { serveHttp } from 'jexo/node'
import { kitFromServer } from 'jexo/server'
import { revisions } from '../../src/protocol/revisions.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { httpServer, twoEndpointServer } from '../../src/vet/wire/http-talk.js'
import type { WireServer } from '../../src/vet/wire/talk.js'
import { jexo, newFolder } from '../support/cli.js'
import everything from './everything.kit.js'
import { rowsFor, StreamTalk, subject } from './subject.js'

/** Servers in front of the kit with everything: the table applies to them as it does to the kit. */
const folder = newFolder()
const fronts: Record<string, { kit: Kit; service: Awaited<ReturnType<typeof serveHttp>> }> = {}
let behind: Awaited<ReturnType<typeof serveHttp>>

beforeAll(async () => {
  behind = await serveHttp(everything)
  const kit = await kitFromServer(behind.url)
  fronts.http = { kit, service: await serveHttp(kit) }
  const packed = await jexo('pack', `${import.meta.dirname}/everything.kit.ts`, '--out', folder)
  expect(packed).toMatchObject({ code: 0 })
  const child = await kitFromServer({ command: process.execPath, args: [`${folder}/everything.mjs`] })
  fronts.stdio = { kit: child, service: await serveHttp(child) }
})
afterAll(async () => {
  for (const { service } of Object.values(fronts)) await service.close()
  await behind.close()
})

const servers: [WireServer['transport'], (behind: string) => WireServer][] = [
  ['stdio', (name) => ({ transport: 'stdio', open: async () => new StreamTalk(fronts[name]?.kit as Kit) })],
  ['http', (name) => httpServer(fronts[name]?.service.url ?? '')],
  ['two-endpoint', (name) => twoEndpointServer((fronts[name]?.service.url ?? '').replace(/\/mcp$/, '/sse'))],
]

describe.each(revisions.map((revision) => [revision.date, revision] as const))('in %s', (_date, revision) => {
  describe.each(servers)('over %s', (transport, serverOf) => {
    const rows = rowsFor(transport, revision.short)
    // All rows in the newest revision; in the others a varying selection. A process for each wrapped session takes a while.
    const at = revisions.indexOf(revision)
    const isNewest = revisions.every(({ date }) => date <= revision.date)
    const many = isNewest ? rows : rows.filter((_, place) => place % 4 === at % 4)
    const few = rows.filter((_, place) => place % 24 === at % 24)
    test.each([
      ['http', many],
      ['stdio', few],
    ] as const)('with a server behind it over %s', async (behindOver, chosen) => {
      const check = new WireCheck(serverOf(behindOver), revision, subject)
      const found = []
      for (const row of chosen) found.push({ row: row.id, says: row.says, ...(await check.check(row)) })
      await check.close()
      expect(found.filter(({ verdict }) => verdict !== 'met')).toStrictEqual([])
      expect(found.length).toBe(chosen.length)
    })
  })
})
