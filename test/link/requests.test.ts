import { readCatalogue } from '../../src/link/catalogue.js'
import { linkErrors } from '../../src/link/errors.js'
import { Link } from '../../src/link/link.js'
import type { LinkOptions } from '../../src/link/options.js'
import { resultOfTask } from '../../src/link/result-of-task.js'
import { LinkTasks } from '../../src/link/tasks.js'
import type { Wire, WireHandlers } from '../../src/link/wire.js'
import { protocolErrors } from '../../src/protocol/errors.js'
import type { Loose } from '../support/raw-session.js'

interface Server {
  capabilities?: object
  revision?: string
  opening?: object
  options?: LinkOptions
}

/** No response. */
const silence = Symbol('silence')

/** A link to a server that returns these results by method; `asked` has its requests and notifications. */
async function linkTo(results: Record<string, (params: Loose) => unknown>, server: Server = {}) {
  const { capabilities = { tools: {}, resources: {}, prompts: {} }, revision = '2025-11-25', opening } = server
  const asked: [string, unknown][] = []
  let handlers: WireHandlers = {} as never
  const wire: Wire = {
    label: 'apiary',
    start: (given) => {
      handlers = given
    },
    send: (message: Loose) => {
      if (message.method === undefined) return
      if (message.method !== 'initialize') asked.push([message.method, message.params])
      if (message.id === undefined) return
      const serverInfo = { name: 'apiary', version: '1' }
      const initialize = () => ({ protocolVersion: revision, capabilities, serverInfo, ...opening })
      queueMicrotask(() => {
        try {
          const known: Record<string, (params: Loose) => unknown> = { initialize, ...results }
          const result = known[message.method as string]?.(message.params) ?? {}
          if (result === silence) return
          handlers.receive({ jsonrpc: '2.0', id: message.id, result } as never)
        } catch (error) {
          handlers.receive({ jsonrpc: '2.0', id: message.id, error } as never)
        }
      })
    },
    close: () => {},
  }
  const link = await Link.open(wire, server.options)
  asked.splice(0)
  return { link, asked, give: (message: object) => handlers.receive({ jsonrpc: '2.0', ...message } as never) }
}

const content = [{ type: 'text', text: 'x' }]

test('a link has the label of its transport, and what the server said of itself', async () => {
  const { link } = await linkTo({}, { opening: { instructions: 'Weigh first.' } })
  expect([link.label, link.revision, link.instructions]).toStrictEqual(['apiary', '2025-11-25', 'Weigh first.'])
  expect(link.serverInfo).toStrictEqual({ name: 'apiary', version: '1' })
})

describe('the requests of a link', () => {
  const completion = () => ({ completion: { values: ['a'] } })
  const results = {
    'resources/read': () => ({ contents: [] }),
    'prompts/get': () => ({ messages: [] }),
    'completion/complete': completion,
    'tools/call': () => ({ content }),
  }
  test.each<[string, (link: Link) => Promise<unknown>, object[]]>([
    ['read', (link) => link.read('a://b'), [['resources/read', { uri: 'a://b' }]]],
    [
      'fill',
      (link) => link.fill('letter', { hive: 'ML' }),
      [['prompts/get', { name: 'letter', arguments: { hive: 'ML' } }]],
    ],
    [
      'call',
      (link) => link.call('weigh', {}, { meta: { a: 1 } }),
      [['tools/call', { name: 'weigh', arguments: {}, _meta: { a: 1 } }]],
    ],
    [
      'complete a prompt',
      (link) => link.complete({ prompt: 'letter' }, { name: 'hive', value: 'M' }, { site: 'x' }),
      [
        [
          'completion/complete',
          {
            ref: { type: 'ref/prompt', name: 'letter' },
            argument: { name: 'hive', value: 'M' },
            context: { arguments: { site: 'x' } },
          },
        ],
      ],
    ],
    [
      'complete a template',
      (link) => link.complete({ template: 'a://{b}' }, { name: 'b', value: '' }),
      [
        [
          'completion/complete',
          { ref: { type: 'ref/resource', uri: 'a://{b}' }, argument: { name: 'b', value: '' } },
        ],
      ],
    ],
    [
      'subscribe and unsubscribe',
      (link) => link.subscribe('a://b').then(() => link.unsubscribe('a://b')),
      [
        ['resources/subscribe', { uri: 'a://b' }],
        ['resources/unsubscribe', { uri: 'a://b' }],
      ],
    ],
    ['set the log level', (link) => link.setLogLevel('error'), [['logging/setLevel', { level: 'error' }]]],
    ['ping', (link) => link.ping(), [['ping', undefined]]],
    [
      'pass that roots changed',
      async (link) => link.passRootsChanged(),
      [['notifications/roots/list_changed', undefined]],
    ],
    ['list no tasks without the capability', async (link) => expect(await link.tasks()).toStrictEqual([]), []],
  ])('%s', async (_what, run, requests) => {
    const { link, asked } = await linkTo(results)
    await run(link)
    expect(asked).toStrictEqual(requests)
  })

  test('complete without the other arguments for an older revision', async () => {
    const { link, asked } = await linkTo(results, { revision: '2025-03-26' })
    await link.complete({ prompt: 'letter' }, { name: 'hive', value: 'M' }, { site: 'x' })
    expect(asked[0]?.[1]).not.toHaveProperty('context')
  })

  test('change the roots only if the link has any', async () => {
    const { link } = await linkTo(results)
    expect(() => link.setRoots([])).toThrow(/roots/)
    const rooted = await linkTo(results, { options: { roots: [] } })
    rooted.link.setRoots([{ uri: 'file:///a' }])
    rooted.give({ id: 1, method: 'roots/list' })
    expect(rooted.asked).toStrictEqual([['notifications/roots/list_changed', undefined]])
  })
})

test('a catalogue has all lists, and asks for those that the server declares', async () => {
  const list = (field: string) => ({ [field]: [{ name: field }] })
  const results = {
    'tools/list': () => list('tools'),
    'resources/list': () => list('resources'),
    'resources/templates/list': () => list('resourceTemplates'),
    'prompts/list': () => list('prompts'),
  }
  const whole = await linkTo(results)
  const named = (name: string) => [{ name }]
  expect(await readCatalogue(whole.link)).toStrictEqual({
    tools: named('tools'),
    resources: named('resources'),
    templates: named('resourceTemplates'),
    prompts: named('prompts'),
  })
  const { link, asked } = await linkTo(results, { capabilities: { prompts: {} } })
  expect(await readCatalogue(link)).toStrictEqual({
    tools: [],
    resources: [],
    templates: [],
    prompts: named('prompts'),
  })
  expect(asked).toStrictEqual([['prompts/list', undefined]])
})

describe('a call that starts without tasks', () => {
  test('is an ordinary call with its progress, its metadata and its end', async () => {
    const { link, asked } = await linkTo({ 'tools/call': () => ({ content }) })
    const task = await link.start('weigh', { hive: 'ML' }, { meta: { a: 1 } })
    expect(task.id).toBeUndefined()
    expect(await task.result()).toStrictEqual({ content })
    expect(asked).toStrictEqual([['tools/call', { name: 'weigh', arguments: { hive: 'ML' }, _meta: { a: 1 } }]])
    const progressed = await link.start('weigh', {}, { onProgress: () => {} })
    await progressed.result()
    expect(asked[1]?.[1]).toMatchObject({ _meta: { progressToken: expect.anything() } })
    expect(await resultOfTask(link, 'weigh', {})).toStrictEqual({ content })
  })

  test.each(['signal', 'cancel'])('ends by its %s', async (way) => {
    const { link, asked } = await linkTo({ 'tools/call': () => silence })
    const controller = new AbortController()
    const task = await link.start('weigh', {}, { signal: controller.signal })
    const seen: string[] = []
    task.onStatus(({ status }) => void seen.push(status))
    const result = task.result().catch((error: Error) => error.message)
    if (way === 'signal') controller.abort(new Error('enough'))
    else expect((await task.cancel()).status).toBe('cancelled')
    expect(await result).toBe(way === 'signal' ? 'enough' : 'the task was cancelled')
    expect(asked.map(([method]) => method)).toContain('notifications/cancelled')
    const last = way === 'signal' ? 'failed' : 'cancelled'
    expect((await task.status()).status).toBe(last)
    expect(seen).toStrictEqual(['working', last])
  })

  test.each([
    [{ content }, 'completed'],
    [{ content, isError: true }, 'failed'],
  ])('with the result %j is %s', async (result, status) => {
    const { link } = await linkTo({ 'tools/call': () => result })
    const task = await link.start('weigh')
    const seen: string[] = []
    const stop = task.onStatus((one) => void seen.push(one.status))
    await task.result()
    expect(await task.status()).toMatchObject({ taskId: '', status, ttl: null })
    stop()
    await task.cancel()
    expect((await task.status()).status).toBe(status)
    expect(seen).toStrictEqual(['working', status])
  })

  test('and whose waiting is given up is cancelled', async () => {
    const { link, asked } = await linkTo({ 'tools/call': () => silence })
    const controller = new AbortController()
    const result = resultOfTask(link, 'weigh', {}, controller.signal).catch((error: Error) => error.message)
    await new Promise(setImmediate)
    controller.abort(new Error('enough'))
    expect(await result).toBe('enough')
    expect(asked.map(([method]) => method)).toContain('notifications/cancelled')
  })

  test('may run only as a task: the call waits for its result, and an abort cancels it', async () => {
    const capabilities = { tools: {}, tasks: { list: {}, requests: { tools: { call: {} } } } }
    const status = (status: string) => ({
      taskId: 't1',
      status,
      createdAt: '2026-06-02T06:00:00Z',
      lastUpdatedAt: '2026-06-02T06:00:00Z',
      ttl: null,
    })
    const refusal = { code: -32601, message: 'only as a task' }
    const call = (params: Loose) => {
      if (!params.task) throw refusal
      return { task: status('working') }
    }
    const { link, asked } = await linkTo(
      {
        'tools/call': call,
        'tasks/result': () => ({ content }),
        'tasks/list': () => ({ tasks: [status('working')] }),
      },
      { capabilities },
    )
    expect(await link.call('survey', { site: 'x' })).toStrictEqual({ content })
    expect(asked).toStrictEqual([
      ['tools/call', { name: 'survey', arguments: { site: 'x' } }],
      ['tools/call', { name: 'survey', arguments: { site: 'x' }, task: {} }],
      ['tasks/result', { taskId: 't1' }],
    ])
    expect(await link.tasks()).toStrictEqual([status('working')])
    expect(link.task('t1').id).toBe('t1')
    const other = await linkTo({ 'tools/call': call }, { capabilities: { tools: {} } })
    await expect(other.link.call('survey')).rejects.toMatchObject({ code: -32601 })
    const failing = await linkTo(
      {
        'tools/call': () => {
          throw { code: -32602, message: 'no' }
        },
      },
      { capabilities },
    )
    await expect(failing.link.call('survey')).rejects.toMatchObject({ code: -32602 })
    expect(failing.asked).toHaveLength(1)
  })
})

describe('the tasks of a link', () => {
  const task = (more: object = {}) => ({
    ...{ taskId: 't1', status: 'working', ttl: null, pollInterval: 100 },
    ...{ createdAt: '2026-06-02T06:00:00Z', lastUpdatedAt: '2026-06-02T06:00:00Z' },
    ...more,
  })
  const opened = (...replies: unknown[]) => {
    const asked: unknown[][] = []
    const tasks = new LinkTasks(async (method, params) => {
      asked.push([method, params])
      const reply = replies.length > 1 ? replies.shift() : replies[0]
      if (reply instanceof Error) throw reply
      return reply as never
    })
    return { asked, tasks }
  }

  test('start with their lifetime, metadata and progress', async () => {
    const { asked, tasks } = opened({ task: task() })
    await tasks.start('a', { x: 1 }, {})
    await tasks.start('a', {}, { ttlMs: 5000, meta: { m: 1 } })
    const seen: unknown[] = []
    const handle = await tasks.start('a', {}, { onProgress: (progress) => void seen.push(progress) })
    expect(asked.map(([, params]) => params)).toStrictEqual([
      { name: 'a', arguments: { x: 1 }, task: {} },
      { name: 'a', arguments: {}, task: { ttl: 5000 }, _meta: { m: 1 } },
      { name: 'a', arguments: {}, task: {}, _meta: { progressToken: 'task-3' } },
    ])
    tasks.progressed({ progressToken: 'task-3', progress: 1, total: 2, message: 'one' })
    tasks.progressed({ progressToken: 'task-3', progress: 2, total: 'x', message: 5 })
    tasks.progressed({ progressToken: 'task-3', progress: 'x' })
    tasks.progressed({ progressToken: 'task-9', progress: 3 })
    await handle.result()
    tasks.progressed({ progressToken: 'task-3', progress: 4 })
    expect(seen).toStrictEqual([{ progress: 1, total: 2, message: 'one' }, { progress: 2 }])
  })

  test('that are malformed are refused, and their progress is dropped', async () => {
    for (const reply of [{}, { task: { taskId: 5 } }, { task: task({ status: 'odd' }) }])
      await expect(opened(reply).tasks.start('a', {}, {})).rejects.toMatchObject({ code: 'response-malformed' })
    const { tasks } = opened({ tasks: 'x' })
    await expect(tasks.list()).rejects.toMatchObject({ code: 'response-malformed' })
  })

  test('are listed from all pages, until a cursor repeats', async () => {
    const { asked, tasks } = opened(
      { tasks: [task()], nextCursor: 'a' },
      { tasks: [task({ taskId: 't2' })], nextCursor: 'a' },
    )
    expect((await tasks.list()).map(({ taskId }) => taskId)).toStrictEqual(['t1', 't2'])
    expect(asked).toStrictEqual([
      ['tasks/list', {}],
      ['tasks/list', { cursor: 'a' }],
    ])
    expect(await opened({ tasks: [] }).tasks.list()).toStrictEqual([])
  })

  test('are waited for again after a broken connection, and not after another error', async () => {
    const broken = linkErrors.connectFailed('apiary', 'gone', undefined)
    const { asked, tasks } = opened(broken, task(), { content })
    expect(await tasks.handle('t1').result()).toStrictEqual({ content })
    expect(asked.map(([method]) => method)).toStrictEqual(['tasks/result', 'tasks/get', 'tasks/result'])
    for (const error of [new Error('no'), protocolErrors.closed('gone')]) {
      const other = opened(error)
      await expect(other.tasks.handle('t1').result()).rejects.toBe(error)
      expect(other.asked).toHaveLength(1)
    }
    const stopped = opened(broken)
    await expect(stopped.tasks.handle('t1').result({ signal: AbortSignal.abort() })).rejects.toBe(broken)
    expect(stopped.asked).toHaveLength(1)
    const late = opened(broken, task({ pollInterval: 60_000 }))
    const controller = new AbortController()
    const waiting = late.tasks.handle('t1').result({ signal: controller.signal })
    await new Promise(setImmediate)
    controller.abort(new Error('enough'))
    await expect(waiting).rejects.toThrow('enough')
  })

  test('report each change of their status once, until they end', async () => {
    const { tasks } = opened(task())
    const seen: string[] = []
    const stop = tasks
      .handle('t1')
      .onStatus(({ status, statusMessage = '' }) => seen.push(`${status} ${statusMessage}`.trim()))
    await new Promise(setImmediate)
    tasks.heard(task({ statusMessage: 'half' }))
    tasks.heard(task({ statusMessage: 'half' }))
    tasks.heard(task({ taskId: 't2', statusMessage: 'other' }))
    tasks.heard(task({ status: 'completed' }))
    tasks.heard(task({ statusMessage: 'late' }))
    stop()
    expect(seen).toStrictEqual(['working', 'working half', 'completed'])
  })
})
