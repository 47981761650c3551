import { ScoreText } from '../../src/cli/text/score-text.js'
import { Score, scoreOf } from '../../src/score/score.js'
import { brief } from '../../src/score/words.js'
import type { TapeEntry, TapeEvent } from '../../src/tape/entry.js'

let sequence = 0
beforeEach(() => {
  sequence = 0
})
const entry = (event: TapeEvent, target = 't'): TapeEntry => ({
  ...event,
  sequence: ++sequence,
  at: sequence * 10,
  target,
})
const message = (from: 'client' | 'server', body: object, target = 't') =>
  entry({ kind: 'message', from, message: { jsonrpc: '2.0', ...body } as never, bytes: 1 }, target)
const call = (id: number, name: string, more: object = {}, target = 't') =>
  message('client', { id, method: 'tools/call', params: { name, ...more } }, target)
const record = {
  requestId: 1,
  sequence: 1,
  kind: 'http',
  label: 'GET http://x.example/y',
  status: 503,
  durationMs: 12,
  startedAt: 'x',
}

describe('the score', () => {
  test('matches calls with their responses and keeps bars of open calls apart', () => {
    const lines = scoreOf([
      call(1, 'a', { arguments: { x: 1 }, _meta: { progressToken: 1 } }),
      call(2, 'b'),
      message('server', { method: 'notifications/progress', params: { progressToken: 1, progress: 1, total: 2 } }),
      message('server', { id: 1, result: { content: [], structuredContent: { kg: 3 } } }),
      message('server', { id: 2, error: { code: -32602, message: 'no' } }),
    ])
    expect(
      lines.map(({ shape, of, tookMs, share, isFault }) => ({ shape, of, tookMs, share, isFault })),
    ).toStrictEqual([
      { shape: 'call', of: undefined, tookMs: undefined, share: undefined, isFault: false },
      { shape: 'call', of: undefined, tookMs: undefined, share: undefined, isFault: false },
      { shape: 'mark', of: 1, tookMs: undefined, share: 0.5, isFault: false },
      { shape: 'result', of: 1, tookMs: 30, share: undefined, isFault: false },
      { shape: 'result', of: 2, tookMs: 30, share: undefined, isFault: true },
    ])
    expect(lines.map(({ open }) => open.map(({ slot }) => slot))).toStrictEqual([[], [0], [0, 1], [0, 1], [1]])
  })

  test('attaches upstream requests to their call, whether they came through the host or directly', () => {
    const [, byHost, past] = scoreOf([
      call(1, 'a'),
      message('server', { method: 'notifications/jexo/upstream', params: record }),
      entry({ kind: 'upstream', record }),
    ])
    const wanted = { shape: 'upstream', of: 1, title: 'GET /y', detail: '503', tookMs: 12, isFault: true }
    expect(byHost).toMatchObject(wanted)
    expect(past).toMatchObject(wanted)
  })

  test.each([
    ['limitRate', 'refused', { retryAfterMs: 3200 }, 'limitRate refused', 'retry after 3.2 s', true],
    ['cache', 'answered', { ageMs: 40 }, 'cache answered', 'age 40 ms', false],
    ['retry', 'retried', { try: 2 }, 'retry retried', 'try 2', false],
    ['limitParallel', 'delayed', { ms: 1500 }, 'limitParallel delayed', '1.5 s', false],
    ['own', 'seen', undefined, 'own seen', '', false],
  ])('marks the call on which the layer %s %s', (label, status, detail, title, said, isFault) => {
    const [, mark] = scoreOf([
      call(1, 'a'),
      entry({
        kind: 'upstream',
        record: { ...record, kind: 'layer', label, status, ...(detail ? { detail } : {}) },
      }),
    ])
    expect(mark).toMatchObject({
      shape: 'mark',
      layer: label,
      of: 1,
      title,
      detail: said,
      isFault,
      tookMs: undefined,
    })
  })

  test('keeps the bar of a call that became a task until the task ends', () => {
    const task = { taskId: '0b8f2c6e-8a3f', status: 'working' }
    const lines = scoreOf([
      call(1, 'survey', { _meta: { progressToken: 'p' } }),
      message('server', { id: 1, result: { task } }),
      message('server', {
        method: 'notifications/progress',
        params: { progressToken: 'p', progress: 1, total: 2 },
      }),
      entry({ kind: 'upstream', record }),
      message('server', { method: 'notifications/tasks/status', params: { ...task, statusMessage: 'ML-03' } }),
      message('client', { id: 2, method: 'tasks/result', params: { taskId: task.taskId } }),
      message('server', { id: 2, result: { content: [{ type: 'text', text: 'done' }] } }),
      message('server', { method: 'notifications/tasks/status', params: { ...task, status: 'completed' } }),
    ])
    expect(lines.map(({ shape, title, of }) => [shape, title, of])).toStrictEqual([
      ['call', 'tools/call survey', undefined],
      ['result', 'task', 1],
      ['mark', 'progress', 1],
      ['upstream', 'GET /y', 1],
      ['mark', 'working', 1],
      ['call', 'tasks/result 0b8f2c6e', undefined],
      ['result', 'result', 6],
      ['mark', 'completed', 1],
    ])
    expect(lines.map(({ open }) => open.some(({ sequence }) => sequence === 1))).toStrictEqual([
      false,
      true,
      true,
      true,
      true,
      true,
      false,
      false,
    ])
  })

  test('shows questions to the person and their answers', () => {
    const lines = scoreOf([
      call(1, 'a'),
      message('server', { id: 1, method: 'elicitation/create', params: { message: 'How many?' } }),
      message('client', { id: 1, result: { action: 'accept', content: { frames: 6 } } }),
      message('server', {
        id: 2,
        method: 'sampling/createMessage',
        params: { messages: [{ role: 'user', content: { type: 'text', text: 'Why?' } }] },
      }),
      message('client', { id: 2, error: { code: -1, message: 'refused' } }),
      message('server', { id: 1, result: { content: [{ type: 'text', text: 'done' }] } }),
    ])
    expect(lines.map(({ shape, from, detail }) => [shape, from, detail])).toStrictEqual([
      ['call', 'host', ''],
      ['question', 'server', 'How many?'],
      ['reply', 'host', 'accept: frames 6'],
      ['question', 'server', 'Why?'],
      ['reply', 'host', 'refused'],
      ['result', 'server', 'done'],
    ])
    expect(lines[5]?.of).toBe(1)
  })

  test('finds the previous response to the same call only', () => {
    const lines = scoreOf([
      call(1, 'a'),
      message('server', { id: 1, result: {} }),
      call(2, 'b'),
      message('server', { id: 2, result: {} }),
      call(3, 'a'),
      message('server', { id: 3, result: {} }),
    ])
    expect(lines.map(({ previous }) => previous)).toStrictEqual([
      undefined,
      undefined,
      undefined,
      undefined,
      undefined,
      2,
    ])
  })

  test('treats a call with other arguments as another call', () => {
    const weigh = (id: number, hive: string) => call(id, 'weigh_hive', { arguments: { hive } })
    const lines = scoreOf([
      weigh(1, 'ML-01'),
      message('server', { id: 1, result: {} }),
      weigh(2, 'ML-02'),
      message('server', { id: 2, result: {} }),
      weigh(3, 'ML-01'),
      message('server', { id: 3, result: {} }),
    ])
    expect([lines[3]?.previous, lines[5]?.previous]).toStrictEqual([undefined, 2])
  })

  test('separates sessions that use the same ids', () => {
    const lines = scoreOf([
      call(1, 'a', {}, 's1'),
      call(1, 'b', {}, 's2'),
      message('server', { id: 1, result: {} }, 's2'),
      message('server', { id: 1, result: {} }, 's1'),
    ])
    expect(lines.map(({ of }) => of)).toStrictEqual([undefined, undefined, 2, 1])
  })

  test('ends open calls when the server is gone, and when they are cancelled', () => {
    const lines = scoreOf([
      call(1, 'a'),
      call(2, 'b'),
      message('client', { method: 'notifications/cancelled', params: { requestId: 1, reason: 'enough' } }),
      entry({ kind: 'state', state: 'closed', text: 'it ended' }),
      entry({ kind: 'stderr', text: 'x' }),
    ])
    expect(lines[2]).toMatchObject({ shape: 'note', title: 'cancelled', of: 1, isFault: true })
    expect(lines.at(-1)?.open).toStrictEqual([])
  })

  test('draws HTTP exchanges only if they failed', () => {
    const exchange = {
      kind: 'http',
      exchange: 1,
      method: 'POST',
      url: 'http://x/',
      requestHeaders: {},
      tookMs: 1,
    } as const
    const score = new Score()
    expect(score.add(entry({ ...exchange, status: 200 }))).toBeUndefined()
    expect(score.add(entry({ ...exchange, status: 401 }))).toMatchObject({ title: 'HTTP 401', isFault: true })
    expect(score.add(entry({ ...exchange, failure: 'refused' }))).toMatchObject({ title: 'refused', isFault: true })
  })

  test('is drawn in time proportional to its length, even with thousands of open calls', () => {
    const score = new Score()
    for (let id = 1; id <= 30_000; id++) score.add(call(id, 'a'))
    const line = score.add(message('server', { id: 29_999, result: {} }))
    expect(line?.of).toBe(29_999)
    expect(line?.open.length).toBeLessThanOrEqual(9)
  })
})

test('a value is shown in one line', () => {
  expect(brief({ hive: 'ML-04', list: [1, 2], deep: { a: 1 }, none: null })).toBe(
    'hive "ML-04", list [2], deep {…}, none null',
  )
  expect(brief(['only'])).toBe('only')
})

describe('the score as text', () => {
  const plain = { bold: String, dim: String, red: String, yellow: String } as never
  const draw = (entries: TapeEntry[], width = 80) => {
    const score = new ScoreText({ width, colours: plain })
    return [score.head, ...entries.flatMap((item) => score.add(item) ?? [])]
  }

  test('has the same lanes, and lines of equal width', () => {
    const lines = draw([
      call(1, 'weigh_hive', { arguments: { hive: 'ML-04' } }),
      entry({ kind: 'upstream', record: { ...record, status: 200 } }),
      message('server', {
        id: 9,
        method: 'elicitation/create',
        params: { message: 'How many frames of brood are there in it?' },
      }),
      message('client', { id: 9, result: { action: 'decline' } }),
      message('server', { id: 1, result: { content: [{ type: 'text', text: 'x'.repeat(500) }] } }),
    ])
    expect(lines.slice(1).map((line) => line.length)).toStrictEqual(
      [76, 76, 76, 76, 76].map(() => lines[1]?.length),
    )
    expect(lines[1]).toMatch(/^0\.00 s {3}│ {5}│─ tools\/call weigh_hive {2}hive "ML-04" ─+▶│ {6}│$/)
    expect(lines[2]).toMatch(/GET \/y {2}200 12 ms ┃─+▶■$/)
    expect(lines[3]).toMatch(/│◀────│◀─ elicitation\/create {2}How many frames/)
    expect(lines[4]).toMatch(/│─────│─ reply 10 ms {2}decline ─+▶┃/)
    expect(lines[5]).toMatch(/│◀─ result 40 ms {2}x+… ──┃/)
  })

  test('shows messages between a page and its host, and errors of the page', () => {
    const view = 'ui://hives/card'
    const said = (from: 'host' | 'page', body: object) =>
      entry({ kind: 'page', from, view, message: { jsonrpc: '2.0', ...body } })
    const report = (logger: string, data: object) =>
      said('page', { method: 'notifications/message', params: { level: 'error', logger, data } })
    const entries = [
      said('page', { id: 1, method: 'tools/call', params: { name: 'list_visits', arguments: { hive: 'ML-04' } } }),
      said('host', { id: 1, result: { content: [{ type: 'text', text: 'none' }] } }),
      said('page', { id: 2, method: 'ui/open-link', params: { url: 'https://a.example/' } }),
      said('host', { id: 2, error: { code: -32000, message: 'refused' } }),
      said('page', { method: 'ui/notifications/size-changed', params: { width: 300, height: 200 } }),
      report('csp', { blocked: 'https://a.example', directive: 'img-src' }),
      report('script', { message: 'no such hive', line: 7 }),
    ]
    const lines = scoreOf(entries)
    expect(lines.map(({ shape, from, title, of }) => [shape, from, title, of])).toStrictEqual([
      ['page', 'page', 'tools/call list_visits', undefined],
      ['page', 'host', 'result', 1],
      ['page', 'page', 'ui/open-link', undefined],
      ['page', 'host', 'error -32000', 3],
      ['page', 'page', 'size-changed', undefined],
      ['page', 'page', 'blocked by the policy', undefined],
      ['page', 'page', 'script error', undefined],
    ])
    expect(lines.map(({ isFault }) => isFault)).toStrictEqual([false, false, false, true, false, true, true])
    const drawn = draw(entries)
    expect(drawn[1]).toMatch(/│════▶│ {3}tools\/call list_visits {2}hive "ML-04"/)
    expect(drawn[2]).toMatch(/│◀════│ {3}result 10 ms {2}none/)
    expect(drawn[6]).toMatch(/img-src does not allow/)
  })

  test('names the session of a line when it changes', () => {
    const lines = draw([call(1, 'a', {}, 's1'), call(1, 'b', {}, 's2')])
    expect(lines.at(-1)).toMatch(/· s2\n/)
  })
})
