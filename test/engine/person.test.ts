import { defineKit, tool } from 'jexo'
import { canAsk } from '../../src/engine/person.js'
import type { Session } from '../../src/engine/session.js'
import { upstream } from '../../src/engine/upstream.js'
import { revisions } from '../../src/protocol/revisions.js'
import { type Loose, RawSession } from '../support/raw-session.js'

const about = 'x'

describe('whether a host can be asked', () => {
  const revisionOf = (date: string) => revisions.find((revision) => revision.date === date)
  test.each([
    ['2025-03-26', { form: {} }, false, false],
    ['2025-06-18', undefined, false, false],
    ['2025-06-18', true, false, false],
    ['2025-06-18', {}, true, false],
    ['2025-06-18', { url: {} }, true, false],
    ['2025-11-25', undefined, false, false],
    ['2025-11-25', {}, true, false],
    ['2025-11-25', { form: {} }, true, false],
    ['2025-11-25', { url: {} }, false, true],
    ['2025-11-25', { form: {}, url: {} }, true, true],
  ])('%s with %j: form %s, page %s', (date, elicitation, form, url) => {
    const session = { clientCapabilities: { elicitation }, revision: revisionOf(date) } as unknown as Session
    expect([canAsk(session, 'form'), canAsk(session, 'url')]).toStrictEqual([form, url])
  })
})

describe('a question', () => {
  const weigh = tool('weigh', {
    about,
    effect: 'change',
    input: {
      type: 'object',
      properties: { hive: { type: 'string' }, kg: { type: 'number' } },
      required: ['hive', 'kg'],
    },
    askFor: ['hive', 'kg'],
    run: ({ hive, kg }: Loose) => `${hive} ${kg}`,
  } as never)
  const titled = tool('wax', {
    about,
    title: 'Wax a frame',
    effect: 'change',
    input: { type: 'object', properties: { hive: { type: 'string' } }, required: ['hive'] },
    askFor: ['hive'],
    run: () => 'waxed',
  } as never)
  const kit = defineKit({ name: 'k', version: '1', parts: [weigh, titled] })

  /** Calls a tool, responds to its question, and returns both. */
  async function asked(revision: string, name: string, args: object, response: object) {
    const session = new RawSession(kit)
    await session.initialize(revision, { elicitation: {} })
    session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
    const called = session.ask('tools/call', { name, arguments: args })
    const question = await session.until(({ method }) => method === 'elicitation/create')
    session.give({ jsonrpc: '2.0', id: question.id, result: response })
    return { params: question.params, result: (await called).result }
  }
  const schema = { type: 'object', properties: { kg: { type: 'number' } }, required: ['kg'] }

  test.each([
    ['2025-06-18', {}],
    ['2025-11-25', { mode: 'form' }],
  ])('in %s names only the missing arguments', async (revision, mode) => {
    const { params, result } = await asked(
      revision,
      'weigh',
      { hive: 'ML-04' },
      { action: 'accept', content: { kg: 41 } },
    )
    expect(params).toStrictEqual({ ...mode, message: 'weigh needs to know more.', requestedSchema: schema })
    expect(result.content).toStrictEqual([{ type: 'text', text: 'ML-04 41' }])
  })

  test('uses the title of the tool', async () => {
    const { params, result } = await asked('2025-11-25', 'wax', {}, { action: 'decline' })
    expect(params.message).toBe('Wax a frame needs to know more.')
    expect(result).toStrictEqual({
      content: [{ type: 'text', text: 'The person was asked for hive and declined. Nothing was done.' }],
      isError: true,
    })
  })

  test.each([
    [{ action: 'accept', content: { kg: 'heavy' } }, 'kg: must be number'],
    [{ action: 'accept', content: 'heavy' }, 'kg: it is required'],
    [{ action: 'perhaps' }, '"action" is "perhaps"'],
    [{}, '"action" is undefined'],
  ])('fails on the response %j', async (response, reason) => {
    const { result } = await asked('2025-11-25', 'weigh', { hive: 'ML-04' }, response)
    expect(result).toStrictEqual({
      isError: true,
      content: [{ type: 'text', text: expect.stringContaining(reason) }],
    })
  })
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
