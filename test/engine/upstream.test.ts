import { defineKit, Refusal, setting, tool } from 'jexo'
import { connect } from 'jexo/link'
import type { Session } from '../../src/engine/session.js'
import { upstream } from '../../src/engine/upstream.js'
import type { Loose } from '../support/raw-session.js'

const outside = tool('outside', {
  about: 'Does three things outside.',
  effect: 'read',
  async run(_input, call) {
    const first = await call.upstream('file', 'notes.txt', (record) => {
      record.bytes = 12
      record.detail = { line: 'the key is wax-s3cret' }
      return 'read'
    })
    await call.upstream('sql', 'select 1', async (record) => {
      record.status = 'ok'
    })
    const third = await call
      .upstream('http', 'GET http://x/?key=wax-s3cret', () => {
        throw new Error('no answer for wax-s3cret')
      })
      .catch((error: Error) => error.message)
    return { first, third }
  },
})
const kit = (settings = {}) =>
  defineKit({
    name: 'test',
    version: '1',
    settings: { KEY: setting({ about: 'A key.', secret: true }), ...settings },
    parts: [outside],
  })
const environment = { KEY: 'wax-s3cret' }

test('upstream requests of a call are reported in order, with their outcome and without secrets', async () => {
  const records: Loose[] = []
  const link = await connect(kit(), { environment, onUpstream: (record) => records.push(record) })
  const { content } = await link.call('outside', {})
  expect(content).toStrictEqual([{ type: 'text', text: '{"first":"read","third":"no answer for wax-s3cret"}' }])
  expect(records.map(({ sequence, kind, label, status }) => [sequence, kind, label, status])).toStrictEqual([
    [1, 'file', 'notes.txt', undefined],
    [2, 'sql', 'select 1', 'ok'],
    [3, 'http', 'GET http://x/?key=••••', 'no answer for ••••'],
  ])
  expect(records[0]).toMatchObject({
    bytes: 12,
    detail: { line: 'the key is ••••' },
    requestId: records[2].requestId,
  })
  expect(new Date(records[0].startedAt).getTime()).not.toBeNaN()
  await link.close()
})

test('nothing is reported to a client that did not ask, or by a server that is not configured to', async () => {
  const methods: string[] = []
  const onMessage = (message: Loose) => methods.push(message.method)
  const silent = await connect(kit(), { environment, onMessage })
  expect(silent.capabilities.experimental).toBeUndefined()
  await silent.call('outside', {})
  await silent.close()
  const told = await connect(kit(), { environment, onMessage, showsUpstream: true })
  expect(told.capabilities.experimental).toStrictEqual({ 'jexo/upstream': {} })
  await told.call('outside', {})
  await told.close()
  const refusing = await connect(kit(), { environment, onMessage, showsUpstream: false, onUpstream: () => {} })
  await refusing.call('outside', {})
  await refusing.close()
  expect(methods.filter((method) => method?.includes('upstream'))).toStrictEqual([])
})

test('a refusal can carry a note for the operator, which the model does not see', async () => {
  const no = tool('no', {
    about: 'Refuses.',
    effect: 'read',
    run() {
      throw new Refusal('Not today.', { operatorNote: 'what KEY holds (wax-s3cret) was refused' })
    },
  })
  const reports: string[] = []
  const settings = { KEY: setting({ about: 'A key.', secret: true }) }
  const link = await connect(defineKit({ name: 'test', version: '1', settings, parts: [no] }), {
    environment,
    report: ({ text }) => reports.push(text),
  })
  expect(await link.call('no', {})).toStrictEqual({
    content: [{ type: 'text', text: 'Not today.' }],
    isError: true,
  })
  expect(reports).toStrictEqual(['tool no: what KEY holds (••••) was refused'])
  await link.close()
})

test('parts add their settings; those of excluded parts are not required, and the kit overrides them', async () => {
  const needing = (name: string, setting_: string) =>
    tool(name, {
      about: 'Needs a setting.',
      effect: 'read',
      settings: { [setting_]: setting({ about: `Of ${name}.` }) },
      run: (_input, call) => String(call.settings[setting_]),
    })
  const parts = [needing('one', 'ONE'), needing('two', 'TWO')]
  const plain = defineKit({ name: 'test', version: '1', parts })
  expect(Object.keys(plain.settings)).toStrictEqual(['ONE', 'TWO'])
  await expect(connect(plain)).rejects.toThrow(/2 settings are missing: ONE \(Of one\); TWO \(Of two\)/)
  const choose = (all: readonly (typeof parts)[number][]) => all.filter(({ name }) => name === 'one')
  const narrowed = await connect(plain, { environment: { ONE: '1' }, choose: choose as never })
  expect((await narrowed.call('one', {})).content).toStrictEqual([{ type: 'text', text: '1' }])
  await narrowed.close()
  const own = defineKit({
    name: 'test',
    version: '1',
    settings: { TWO: setting({ about: 'Two.', default: '2' }) },
    parts,
  })
  const link = await connect(own, { environment: { ONE: '1' } })
  expect((await link.call('two', {})).content).toStrictEqual([{ type: 'text', text: '2' }])
  await link.close()
})

describe('an upstream record', () => {
  const run = async (more: object, work: (notes: Loose) => unknown = () => 'done') => {
    const sent: Loose[] = []
    const session = {
      running: { showsUpstream: true, mask: (text: string) => text.replaceAll('wax', '••'), observer: undefined },
      clientCapabilities: { experimental: { 'jexo/upstream': {} } },
      watch: undefined,
      ...more,
    } as unknown as Session
    const incoming = { id: 7, notify: (_method: string, params: Loose) => sent.push(params) } as never
    const result = await upstream(session, incoming, 'sql', 'select wax', work as never)
    return { result, sent }
  }

  test('has the fields that are known, in milliseconds, with every text masked', async () => {
    const { sent, result } = await run({}, (notes) => {
      Object.assign(notes, { status: 'ok', bytes: 3, detail: { rows: ['wax', 1, null, { note: 'wax' }] } })
      return 'two'
    })
    expect(result).toBe('two')
    expect(sent).toStrictEqual([
      {
        ...{ requestId: 7, sequence: 1, kind: 'sql', label: 'select ••' },
        startedAt: expect.stringMatching(/^20\d\d-.*Z$/),
        durationMs: expect.any(Number),
        ...{ status: 'ok', bytes: 3, detail: { rows: ['••', 1, null, { note: '••' }] } },
      },
    ])
    expect(sent[0].durationMs).toBeLessThan(5000)
    expect(sent[0].durationMs).toBeGreaterThanOrEqual(0)
    const bare = (await run({})).sent[0]
    expect(Object.keys(bare)).toStrictEqual(['requestId', 'sequence', 'kind', 'label', 'startedAt', 'durationMs'])
  })

  test('goes to an observer if the host did not ask for it, and nowhere if there is none', async () => {
    const seen: Loose[] = []
    const observer = { upstream: (_session: unknown, record: Loose) => seen.push(record) }
    const mask = (text: string) => text
    const { sent } = await run({ running: { showsUpstream: false, mask, observer } })
    expect([sent.length, seen.length]).toStrictEqual([0, 1])
    const plain = await run({ running: { showsUpstream: true, mask, observer }, clientCapabilities: {} })
    expect([plain.sent.length, seen.length]).toStrictEqual([0, 2])
    const none = await run({ running: { showsUpstream: false, mask, observer: undefined } })
    expect([none.sent.length, none.result]).toStrictEqual([0, 'done'])
  })

  test('becomes a span of telemetry unless it is of a layer', async () => {
    const spans: string[] = []
    const watch = {
      upstream: (_incoming: unknown, { kind, run: carryOut }: Loose) => {
        spans.push(kind)
        return carryOut()
      },
    }
    const running = { showsUpstream: false, mask: (text: string) => text, observer: undefined }
    expect((await run({ running, watch })).result).toBe('done')
    const session = { running, watch, clientCapabilities: {} } as unknown as Session
    expect(await upstream(session, { id: 1 } as never, 'layer', 'cache', () => 'kept')).toBe('kept')
    expect(spans).toStrictEqual(['sql'])
  })
})
