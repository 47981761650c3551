import fc from 'fast-check'
import { LineSplitter } from '../../src/transport/line-splitter.js'
import { RawSession } from '../support/raw-session.js'
import { sampleKit } from '../support/sample-kit.js'

const methods = [
  'initialize',
  'ping',
  'tools/call',
  'tools/list',
  'resources/read',
  'resources/subscribe',
  'prompts/get',
  'completion/complete',
  'logging/setLevel',
  'notifications/cancelled',
  'notifications/progress',
  'notifications/initialized',
  'nope',
]
const nearlyMessage = fc.record(
  {
    jsonrpc: fc.constantFrom('2.0', '1.0', 2),
    id: fc.oneof(fc.integer({ min: 1000 }), fc.string(), fc.constant(null), fc.double()),
    method: fc.oneof(fc.constantFrom(...methods), fc.jsonValue()),
    params: fc.oneof(
      fc.jsonValue(),
      fc.record(
        {
          name: fc.constantFrom('add', 'say', 'greet', 5),
          arguments: fc.jsonValue(),
          uri: fc.constantFrom('sample://counter', '', 7),
          requestId: fc.jsonValue(),
          cursor: fc.jsonValue(),
          level: fc.jsonValue(),
          ref: fc.jsonValue(),
          _meta: fc.jsonValue(),
        },
        { requiredKeys: [] },
      ),
    ),
    result: fc.jsonValue(),
    error: fc.jsonValue(),
  },
  { requiredKeys: [] },
)

describe('after any input', () => {
  test('a session answers the next ping, and has no request in flight', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('2025-11-25', '2025-03-26'),
        fc.array(fc.oneof(nearlyMessage, fc.jsonValue(), fc.array(nearlyMessage))),
        async (revision, values) => {
          const session = await RawSession.open(sampleKit(), revision)
          for (const value of values) session.give(value)
          expect((await session.ask('ping')).result).toStrictEqual({})
          while (session.engine.inFlight > 0) await new Promise((resolve) => setImmediate(resolve))
          for (const message of session.sent.flat()) expect(message.jsonrpc).toBe('2.0')
        },
      ),
      { numRuns: 200 },
    )
  })

  test('invalid bytes are answered or skipped, and the next line is read', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.uint8Array({ maxLength: 60 })), async (chunks) => {
        const session = await RawSession.open(sampleKit())
        const lines = new LineSplitter(
          1000,
          (line) => session.giveText(line),
          () => {},
        )
        for (const chunk of chunks) lines.push(chunk)
        lines.push(new TextEncoder().encode('\n{"jsonrpc":"2.0","id":"last","method":"ping"}\n'))
        expect((await session.until((message) => message.id === 'last')).result).toStrictEqual({})
      }),
      { numRuns: 200 },
    )
  })
})
