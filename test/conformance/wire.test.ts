import { join } from 'node:path'
import { serveHttp } from 'jexo/node'
import { revisions } from '../../src/protocol/revisions.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { childServer } from '../../src/vet/wire/child-talk.js'
import { httpServer, twoEndpointServer } from '../../src/vet/wire/http-talk.js'
import type { Subject } from '../../src/vet/wire/requirement.js'
import { requirements } from '../../src/vet/wire/table.js'
import type { WireServer } from '../../src/vet/wire/talk.js'
import { jexo, newFolder } from '../support/cli.js'
import kit from './everything.kit.js'

const none = {}
const subject: Required<Subject> = {
  tool: { name: 'add', arguments: { a: 1 }, wrong: { a: 'one' }, field: 'a' },
  structuredTool: { name: 'add', arguments: { a: 1, b: 2 } },
  failingTool: { name: 'say', arguments: { kind: 'crash' } },
  lyingTool: { name: 'broken_output', arguments: none },
  progressTool: { name: 'steps', arguments: none },
  loggingTool: { name: 'steps', arguments: none },
  waitingTool: { name: 'wait', arguments: none },
  slowTool: { name: 'slow_steps', arguments: none },
  audioTool: { name: 'say', arguments: { kind: 'audio' } },
  linkTool: { name: 'say', arguments: { kind: 'link' } },
  formTool: { name: 'ask_form', arguments: none, content: { kg: 41 } },
  urlTool: { name: 'ask_by_url', arguments: none },
  visitTool: { name: 'needs_visit', arguments: none },
  samplingTool: { name: 'ask_model', arguments: none },
  samplingWithToolsTool: { name: 'ask_model_with_tools', arguments: none },
  rootsTool: { name: 'list_roots', arguments: none },
  touchingTool: { name: 'count', arguments: none, uri: 'sample://counter' },
  growingTool: { name: 'grow', arguments: none },
  resource: { uri: 'sample://counter' },
  binaryResource: { uri: 'sample://bytes' },
  template: { uriTemplate: 'sample://words/{word}', uri: 'sample://words/bee', variable: 'word' },
  prompt: { name: 'greet', arguments: { name: 'Ada' }, required: 'name' },
  completion: { prompt: 'greet', argument: 'name', typed: 'A' },
}

const folder = newFolder()
let service: Awaited<ReturnType<typeof serveHttp>>
beforeAll(async () => {
  service = await serveHttp(kit)
  const packed = await jexo('pack', `${import.meta.dirname}/everything.kit.ts`, '--out', folder)
  expect(packed).toMatchObject({ code: 0 })
})
afterAll(() => service.close())

const servers: [WireServer['transport'], () => WireServer][] = [
  ['stdio', () => childServer({ command: process.execPath, args: [join(folder, 'everything.mjs')] })],
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

    const rows = requirements.filter(
      ({ transports, from = 'R1', to = 'R4' }) =>
        (transports?.includes(transport) ?? true) && revision.short >= from && revision.short <= to,
    )
    test.each(rows.map((row) => [row.id, row] as const))('%s', async (_id, row) => {
      expect({ says: row.says, ...(await check.check(row)) }).toEqual({ says: row.says, verdict: 'met' })
    })
  })
})

test('every row has a name of its own and holds for some revision', () => {
  const ids = requirements.map(({ id }) => id)
  expect(new Set(ids).size).toBe(ids.length)
  expect(requirements.length).toBeGreaterThan(150)
})
