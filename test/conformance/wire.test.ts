import { join } from 'node:path'
import { PassThrough } from 'node:stream'
import { serveHttp } from 'jexo/node'
import { revisions } from '../../src/protocol/revisions.js'
import { runOnNode } from '../../src/transport/node-run.js'
import { runStdio } from '../../src/transport/stdio.js'
import { WireCheck } from '../../src/vet/wire/check.js'
import { childServer, LineTalk } from '../../src/vet/wire/child-talk.js'
import { httpServer, twoEndpointServer } from '../../src/vet/wire/http-talk.js'
import type { Subject } from '../../src/vet/wire/requirement.js'
import { requirements } from '../../src/vet/wire/table.js'
import type { WireServer } from '../../src/vet/wire/talk.js'
import { jexo, newFolder } from '../support/cli.js'
import kit from './everything.kit.js'

const none = {}
const subject: Required<Omit<Subject, 'taskFree' | 'access' | 'accessToken' | 'accessMetadata'>> = {
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
  taskTool: { name: 'long_count', arguments: none },
  taskOnlyTool: { name: 'task_only', arguments: none },
  taskFreeTool: { name: 'add', arguments: { a: 1 } },
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

/** The stdio transport on streams of this process: a process for each of some six hundred sessions would take a minute. */
class StreamTalk extends LineTalk {
  readonly #ended: Promise<void>

  constructor() {
    const [input, output] = [new PassThrough(), new PassThrough()]
    super(input, output)
    this.#ended = runStdio(runOnNode(kit), {}, { input, output, write: (text) => output.write(text) })
    void this.#ended.then(() => this.ended('its input was closed'))
  }

  override async close(): Promise<void> {
    await super.close()
    await this.#ended
  }
}

const rowsFor = (transport: WireServer['transport'], short: string) =>
  requirements.filter(
    // Rows about tokens are tried on servers that ask for one, and what holds without tasks on one without.
    ({ id, needs = [], transports, from = 'R1', to = 'R4' }) =>
      !id.startsWith('access/') &&
      !needs.includes('taskFree') &&
      (transports?.includes(transport) ?? true) &&
      short >= from &&
      short <= to,
  )
const processes = (): WireServer =>
  childServer({ command: process.execPath, args: [join(folder, 'everything.mjs')] })
const servers: [WireServer['transport'], () => WireServer][] = [
  ['stdio', () => ({ transport: 'stdio', open: async () => new StreamTalk() })],
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
      expect({ says: row.says, ...(await check.check(row)) }).toEqual({ says: row.says, verdict: 'met' })
    })
  })
})

test('a packed file that is a process of its own meets the rows of stdio, and one in eight of the others', async () => {
  const newest = revisions.reduce((one, other) => (one.date > other.date ? one : other))
  const check = new WireCheck(processes(), newest, subject)
  const rows = rowsFor('stdio', newest.short)
  for (const row of rows.filter(({ transports }, at) => transports?.length === 1 || at % 8 === 0))
    expect({ row: row.id, ...(await check.check(row)) }).toEqual({ row: row.id, verdict: 'met' })
  await check.close()
})

test('every row has a name of its own and holds for some revision', () => {
  const ids = requirements.map(({ id }) => id)
  expect(new Set(ids).size).toBe(ids.length)
  expect(requirements.length).toBeGreaterThan(150)
})
