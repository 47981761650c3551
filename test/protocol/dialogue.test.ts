import { jest } from '@jest/globals'
import { Dialogue } from '../../src/protocol/dialogue.js'
import type { Incoming } from '../../src/protocol/incoming.js'
import type { Message } from '../../src/protocol/messages.js'
import { RpcError } from '../../src/protocol/rpc-error.js'
import type { DialogueWatch } from '../../src/protocol/watch.js'

/** Two dialogues connected by hand, so that messages can be seen and held back. */
function pair(answer: (request: Incoming) => unknown, limits = {}, watch?: (side: string) => DialogueWatch) {
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
    { limits, watch: watch?.('server') },
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
    { limits, watch: watch?.('client') },
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

  test('has a limit that progress does not extend', async () => {
    jest.useFakeTimers()
    try {
      const { client } = pair(
        (request) => {
          const timer = setInterval(() => request.progress({ progress: Date.now() }), 60)
          request.signal.addEventListener('abort', () => clearInterval(timer))
          return never()
        },
        { timeoutMs: 100, maxTimeoutMs: 250 },
      )
      const begin = Date.now()
      const asked = client
        .ask('slow', {}, { onProgress: () => {} })
        .catch((error) => [error.code, Date.now() - begin])
      await jest.advanceTimersByTimeAsync(1000)
      await expect(asked).resolves.toStrictEqual(['request-timed-out', 250])
    } finally {
      jest.useRealTimers()
    }
  })

  test('pauses the time limit of a request while the user signs in', async () => {
    jest.useFakeTimers()
    try {
      const { client } = pair(never)
      let code: string | undefined
      client.ask('slow', {}, { timeoutMs: 100 }).catch((error) => (code = error.code))
      client.delay(1, true)
      client.delay(99, true)
      client.delay(99, false)
      await jest.advanceTimersByTimeAsync(1000)
      expect(code).toBeUndefined()
      client.delay(1, false)
      await jest.advanceTimersByTimeAsync(99)
      expect(code).toBeUndefined()
      await jest.advanceTimersByTimeAsync(1)
      expect(code).toBe('request-timed-out')
    } finally {
      jest.useRealTimers()
    }
  })

  test('passes on the valid fields of progress, and progress of tasks', async () => {
    const heard: unknown[] = []
    const reports: unknown[] = []
    const dialogue = new Dialogue({
      send: () => {},
      respond: () => ({}),
      hear: (method, params) => heard.push([method, params]),
    })
    dialogue.ask('quiet', {}).catch(() => {})
    dialogue.ask('slow', {}, { onProgress: (progress) => reports.push(progress) }).catch(() => {})
    const progress = (params: object) =>
      dialogue.receive({ jsonrpc: '2.0', method: 'notifications/progress', params: { ...params } })
    progress({ progressToken: 1, progress: 1 })
    progress({ progressToken: 2, progress: '1' })
    progress({ progressToken: 2, progress: 1, total: 5, message: 'weighing' })
    progress({ progressToken: 2, progress: 2, total: '5', message: 5 })
    progress({ progressToken: 2, progress: 2 })
    progress({ progressToken: 2, progress: 1 })
    expect(reports).toStrictEqual([{ progress: 1, total: 5, message: 'weighing' }, { progress: 2 }])
    expect(heard).toStrictEqual([])
    progress({ progressToken: 3, progress: 1 })
    expect(heard).toStrictEqual([['notifications/progress', { progressToken: 3, progress: 1 }]])
    dialogue.close('over')
  })

  test('reports internal errors, but not to the peer', async () => {
    const broken: unknown[] = []
    const sent: Message[] = []
    const fault = new Error('the database at /srv/hives is locked')
    const refused = new RpcError(-32602, 'Unknown tool')
    const dialogue = new Dialogue({
      send: (message) => sent.push(message),
      respond: ({ method }) => {
        if (method === 'refused') throw refused
        if (method === 'later') return Promise.reject(fault)
        throw fault
      },
      hear: () => {
        throw fault
      },
      broke: (method, error) => broken.push([method, error]),
    })
    for (const [id, method] of ['refused', 'now', 'later'].entries())
      dialogue.receive({ jsonrpc: '2.0', id, method })
    dialogue.receive({ jsonrpc: '2.0', method: 'notifications/x' })
    await Promise.resolve()
    expect(sent).toStrictEqual([
      { jsonrpc: '2.0', id: 0, error: { code: -32602, message: 'Unknown tool' } },
      { jsonrpc: '2.0', id: 1, error: { code: -32603, message: 'Internal error' } },
      { jsonrpc: '2.0', id: 2, error: { code: -32603, message: 'Internal error' } },
    ])
    expect(broken).toStrictEqual([
      ['now', fault],
      ['notifications/x', fault],
      ['later', fault],
    ])
  })

  test('says of each request whether it got a response', async () => {
    const { client, server, settled } = pair(({ method }) => {
      if (method === 'slow') return never()
      if (method === 'refused') throw new RpcError(-32602, 'no')
      return {}
    })
    await client.ask('quick', {})
    await client.ask('refused', {}).catch(() => {})
    client.ask('slow', {}).catch(() => {})
    expect([server.inFlight, server.isInFlight(3), [...server.underWay].map(({ method }) => method)]).toStrictEqual(
      [1, true, ['slow']],
    )
    expect([client.isWaiting, client.isAsked(3), client.isAsked(2)]).toStrictEqual([true, true, false])
    server.close('over')
    client.close('over')
    expect(settled).toStrictEqual([
      [1, true],
      [2, true],
      [3, false],
    ])
    expect([client.isWaiting, server.inFlight]).toStrictEqual([false, 0])
  })

  test('ignores everything once it has ended', async () => {
    const { client, server, passed, settled } = pair(() => ({}))
    server.close('over')
    server.close('again')
    server.notify('notifications/x', {})
    server.receive({ jsonrpc: '2.0', id: 1, method: 'x' })
    expect(passed).toStrictEqual([])
    expect(settled).toStrictEqual([])
    await expect(server.ask('x', {})).rejects.toMatchObject({ data: { reason: 'over' } })
    client.close('over')
  })

  test('has nothing pending before its first request', () => {
    const { client } = pair(() => ({}))
    client.giveUp(1, new Error('x'))
    client.unusable(1, 'x')
    client.delay(1, true)
    client.receive({ jsonrpc: '2.0', id: 1, result: {} })
    client.receive({ jsonrpc: '2.0', method: 'notifications/progress', params: { progressToken: 1, progress: 1 } })
    client.close('over')
    expect([client.isWaiting, client.isAsked(1)]).toStrictEqual([false, false])
  })

  test('gives up a request that could not be sent, and fails one whose response is unusable', async () => {
    const { client } = pair(never)
    const asked = client.ask('slow', {})
    client.giveUp(1, new Error('no connection'))
    await expect(asked).rejects.toThrow('no connection')
    jest.useFakeTimers()
    try {
      const results = [client.ask('slow', {}), client.ask('slow', {})].map((one) =>
        one.then(
          (result) => result,
          ({ code }) => code,
        ),
      )
      client.unusable(2, 'not JSON')
      client.unusable(3, 'not JSON')
      await jest.advanceTimersByTimeAsync(400)
      client.receive({ jsonrpc: '2.0', id: 3, result: { n: 3 } })
      await jest.advanceTimersByTimeAsync(100)
      expect(await Promise.all(results)).toStrictEqual(['response-malformed', { n: 3 }])
    } finally {
      jest.useRealTimers()
    }
  })

  test('does not send a request whose signal is aborted, and names its own ids', async () => {
    const { client, passed } = pair(never)
    await expect(client.ask('x', {}, { signal: AbortSignal.abort(new Error('enough')) })).rejects.toThrow('enough')
    expect(passed).toStrictEqual([])
    const sent: Message[] = []
    const named = new Dialogue(
      { send: (message) => sent.push(message), respond: () => ({}), hear: () => {} },
      { idPrefix: 'w1-' },
    )
    for (const params of [undefined, { _meta: { a: 1 } }, { _meta: 5 }])
      named.ask('x', params, { onProgress: () => {} }).catch(() => {})
    named.ask('x', undefined).catch(() => {})
    expect(sent).toMatchObject([
      { id: 'w1-1', params: { _meta: { progressToken: 'w1-1' } } },
      { id: 'w1-2', params: { _meta: { a: 1, progressToken: 'w1-2' } } },
      { id: 'w1-3', params: { _meta: { progressToken: 'w1-3' } } },
      { id: 'w1-4' },
    ])
    expect(sent[3]).not.toHaveProperty('params')
    named.close('over')
  })

  test('cancels with the reason of the peer, but never initialize', async () => {
    const signals = new Map<string, AbortSignal>()
    const { client, server, settled } = pair((request) => {
      signals.set(request.method, request.signal)
      return never()
    })
    for (const method of ['initialize', 'one', 'two']) client.ask(method, {}).catch(() => {})
    for (const params of [{ requestId: 1 }, { requestId: 2, reason: 'enough' }, { requestId: 3, reason: 5 }])
      server.receive({ jsonrpc: '2.0', method: 'notifications/cancelled', params })
    expect(signals.get('initialize')?.aborted).toBe(false)
    expect(signals.get('one')?.reason).toMatchObject({ name: 'AbortError', message: 'enough' })
    expect(signals.get('two')?.reason).toMatchObject({ message: 'cancelled by the peer' })
    expect(settled).toStrictEqual([
      [2, false],
      [3, false],
    ])
    server.close('over')
    client.close('over')
  })

  test('has a signal that is aborted if it is first read after the end', async () => {
    let kept: Incoming | undefined
    const { client } = pair((request) => {
      kept = request
      return {}
    })
    await client.ask('x', {})
    expect([kept?.isOver, kept?.signal.aborted, kept?.signal.aborted]).toStrictEqual([true, true, true])
  })

  test('shows a watcher both directions, and each end', async () => {
    const seen: unknown[] = []
    const watch = (side: string): DialogueWatch => ({
      arrived: (incoming, work) => {
        seen.push([side, 'arrived', incoming.method])
        work()
      },
      responded: (incoming, end) => seen.push([side, 'responded', incoming.method, end.kind]),
      asking: (id, method) => ({
        meta: { trace: `${method} ${id}` },
        ended: (end) => seen.push([side, 'ended', method, end.kind]),
      }),
    })
    const { client, server, passed } = pair(
      ({ method }) => {
        if (method === 'bad') throw new Error('x')
        return method === 'slow' ? never() : {}
      },
      {},
      watch,
    )
    await client.ask('good', { n: 1 })
    expect(passed[0]).toMatchObject({ params: { n: 1, _meta: { trace: 'good 1' } } })
    await client.ask('bad', {}).catch(() => {})
    const controller = new AbortController()
    const slow = client.ask('slow', {}, { signal: controller.signal }).catch(() => {})
    controller.abort()
    await slow
    const closed = client.ask('slow', {}).catch(() => {})
    server.close('over')
    client.close('over')
    await closed
    expect(seen).toStrictEqual([
      ['server', 'arrived', 'good'],
      ['server', 'responded', 'good', 'result'],
      ['client', 'ended', 'good', 'result'],
      ['server', 'arrived', 'bad'],
      ['server', 'responded', 'bad', 'error'],
      ['client', 'ended', 'bad', 'error'],
      ['server', 'arrived', 'slow'],
      ['server', 'responded', 'slow', 'cancelled'],
      ['client', 'ended', 'slow', 'error'],
      ['server', 'arrived', 'slow'],
      ['server', 'responded', 'slow', 'cancelled'],
      ['client', 'ended', 'slow', 'error'],
    ])
  })
})
