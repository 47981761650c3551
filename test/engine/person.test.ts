import { defineKit, tool } from 'jexo'
import { canAsk } from '../../src/engine/person.js'
import type { Session } from '../../src/engine/session.js'
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
