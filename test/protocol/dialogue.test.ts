import { jest } from '@jest/globals'
import { Dialogue } from '../../src/protocol/dialogue.js'
import type { Incoming } from '../../src/protocol/incoming.js'
import type { Message } from '../../src/protocol/messages.js'

/** Two dialogues connected by hand, so that messages can be seen and held back. */
function pair(answer: (request: Incoming) => unknown, limits = {}) {
  const passed: Message[] = []
  const settled: [unknown, boolean][] = []
  const server = new Dialogue(
    {
      send: (message) => {
        passed.push(message)
        client.receive(message)
      },
      respond: answer,
      hear: () => {},
      settled: (id, hasResponse) => settled.push([id, hasResponse]),
    },
    { limits },
  )
  const client: Dialogue = new Dialogue(
    {
      send: (message) => {
        passed.push(message)
        server.receive(message)
      },
      respond: () => ({}),
      hear: () => {},
    },
    { limits },
  )
  return { client, server, passed, settled }
}

const never = () => new Promise(() => {})

describe('a dialogue', () => {
  test('matches responses to requests', async () => {
    const { client } = pair(({ params }) => ({ twice: Number(params.n) * 2 }))
    const answers = await Promise.all([1, 2, 3].map((n) => client.ask('double', { n })))
    expect(answers).toStrictEqual([{ twice: 2 }, { twice: 4 }, { twice: 6 }])
  })

  test('cancels by signal: the work is aborted and no response follows', async () => {
    let signal: AbortSignal | undefined
    const { client, passed, settled } = pair((request) => {
      signal = request.signal
      return never()
    })
    const controller = new AbortController()
    const asked = client.ask('slow', {}, { signal: controller.signal })
    controller.abort(new Error('enough'))
    await expect(asked).rejects.toThrow('enough')
    expect(signal?.aborted).toBe(true)
    expect(passed.at(-1)).toMatchObject({ method: 'notifications/cancelled', params: { requestId: 1 } })
    expect(settled).toStrictEqual([[1, false]])
  })

  test('times out, and tells the peer', async () => {
    const { client, passed } = pair(never)
    await expect(client.ask('slow', {}, { timeoutMs: 20 })).rejects.toMatchObject({ code: 'request-timed-out' })
    expect(passed.at(-1)).toMatchObject({ method: 'notifications/cancelled' })
  })

  test('does not cancel initialize', async () => {
    const { client, passed } = pair(never)
    await expect(client.ask('initialize', {}, { timeoutMs: 20 })).rejects.toThrow(
      /no response to initialize within 20 ms/,
    )
    expect(passed).toHaveLength(1)
  })

  test('reports only increasing progress, which extends the timeout', async () => {
    jest.useFakeTimers()
    try {
      const steps = [1, 1, 0, 2]
      const { client } = pair(async (request) => {
        for (const progress of steps) {
          await new Promise((resolve) => setTimeout(resolve, 30))
          request.progress({ progress })
        }
        return {}
      })
      const seen: number[] = []
      const asked = client.ask('slow', {}, { timeoutMs: 100, onProgress: ({ progress }) => seen.push(progress) })
      for (const _ of steps) await jest.advanceTimersByTimeAsync(30)
      await asked
      expect(seen).toStrictEqual([1, 2])
    } finally {
      jest.useRealTimers()
    }
  })

  test('sends no progress without a token, and nothing after the response', async () => {
    let kept: Incoming | undefined
    const { client, passed } = pair((request) => {
      kept = request
      request.progress({ progress: 1 })
      return {}
    })
    await client.ask('x', {})
    kept?.notify('notifications/message', {})
    expect(passed).toHaveLength(2)
  })

  test('refuses an id that is in flight, and requests over the limit', async () => {
    const { server, passed } = pair(never, { maxInFlight: 2 })
    for (const id of [1, 1, 2, 3]) server.receive({ jsonrpc: '2.0', id, method: 'slow' })
    expect(passed).toMatchObject([
      { id: 1, error: { code: -32600 } },
      { id: 3, error: { code: -32603, message: expect.stringContaining('2 requests') } },
    ])
  })

  test('ignores late, unknown and malformed cancellations', async () => {
    const { client, server } = pair(() => ({ fine: true }))
    for (const params of [{ requestId: 99 }, {}, { requestId: null }]) {
      server.receive({ jsonrpc: '2.0', method: 'notifications/cancelled', params })
    }
    await expect(client.ask('x', {})).resolves.toStrictEqual({ fine: true })
  })

  test('rejects pending requests and aborts running ones when it closes', async () => {
    let signal: AbortSignal | undefined
    const { client, server } = pair((request) => {
      signal = request.signal
      return never()
    })
    const asked = client.ask('slow', {})
    server.close('over')
    client.close('over')
    await expect(asked).rejects.toMatchObject({ code: 'closed' })
    expect(signal?.aborted).toBe(true)
    await expect(client.ask('again', {})).rejects.toMatchObject({ code: 'closed' })
  })
})
