import { defineKit, type Part, Refusal, tool } from 'jexo'
import { connect, serveHttp } from 'jexo/node'
import { TaskBoard } from '../../src/tasks/board.js'
import type { Task } from '../../src/tasks/task.js'
import { jexo } from '../support/cli.js'
import { type Loose, RawSession } from '../support/raw-session.js'

const related = 'io.modelcontextprotocol/related-task'
type Run = (input: never, call: Loose) => unknown

let free = () => {}
const held = () => new Promise<void>((resolve) => (free = resolve))
const made = (name: string, run: Run, task?: 'optional' | 'required') =>
  tool(name, {
    about: 'For trials.',
    effect: 'read',
    input: { type: 'object' },
    run,
    ...(task ? { task } : {}),
  } as never) as Part
const kit = () =>
  defineKit({
    name: 'k',
    version: '1.0.0',
    parts: [
      made('plain', () => 'plain'),
      made('survey', (_, call) => `survey ${call.task ? 'as a task' : 'at once'}`, 'optional'),
      made('harvest', () => 'harvested', 'required'),
      made('fails', () => Promise.reject(new Refusal('No honey.')), 'optional'),
      made(
        'holds',
        async (_, call) => {
          call.progress(3, 12, 'ML-03')
          await held()
          return 'held'
        },
        'optional',
      ),
      made(
        'hangs',
        (_, call) =>
          new Promise((_, reject) => call.signal.addEventListener('abort', () => reject(call.signal.reason))),
        'optional',
      ),
      made(
        'asks',
        async (_, call) => {
          const answer = await call.askPerson('How many?', {
            type: 'object',
            properties: { frames: { type: 'integer' } },
            required: ['frames'],
          })
          return `${answer.action} ${answer.content?.frames}`
        },
        'optional',
      ),
    ],
  })

async function opened(
  revision = '2025-11-25',
  options: object = {},
  capabilities: object = { elicitation: { form: {} } },
) {
  const session = new RawSession(kit(), {}, options)
  const answer = await session.initialize(revision, capabilities)
  session.give({ jsonrpc: '2.0', method: 'notifications/initialized' })
  return { session, capabilities: answer.result.capabilities }
}
const start = async (session: RawSession, name: string, more: object = {}): Promise<Loose> =>
  session.ask('tools/call', { name, arguments: {}, task: {}, ...more })
const settled = () => new Promise((resolve) => setTimeout(resolve, 20))

describe('a server', () => {
  test('declares tasks if a tool has them, in the revision that has them', async () => {
    expect((await opened()).capabilities.tasks).toStrictEqual({
      list: {},
      cancel: {},
      requests: { tools: { call: {} } },
    })
    expect((await opened('2025-11-25', { network: 'tcp' })).capabilities.tasks).toStrictEqual({
      cancel: {},
      requests: { tools: { call: {} } },
    })
    expect((await opened('2025-06-18')).capabilities.tasks).toBeUndefined()
    const { session } = await opened()
    const { result } = await session.ask('tools/list', {})
    const support = result.tools.map(({ name, execution }: Loose) => [name, execution?.taskSupport])
    expect(support).toStrictEqual(
      expect.arrayContaining([
        ['plain', undefined],
        ['survey', 'optional'],
        ['harvest', 'required'],
      ]),
    )
    const none = new RawSession(defineKit({ name: 'k', version: '1', parts: [made('plain', () => 'plain')] }))
    expect((await none.initialize('2025-11-25')).result.capabilities.tasks).toBeUndefined()
    expect((await none.ask('tools/call', { name: 'plain', task: {} })).result.content[0].text).toBe('plain')
  })

  test('responds at once with the task, and later with exactly the result of the call', async () => {
    const { session } = await opened()
    const { result } = await start(session, 'survey', { task: { ttl: 60_000 } })
    expect(result).toStrictEqual({
      task: {
        taskId: expect.stringMatching(/^[0-9a-f-]{36}$/),
        status: 'working',
        createdAt: expect.stringMatching(/Z$/),
        lastUpdatedAt: expect.stringMatching(/Z$/),
        ttl: 60_000,
        pollInterval: 1000,
      },
    })
    const { taskId } = result.task
    const answer = await session.ask('tasks/result', { taskId })
    expect(answer.result).toStrictEqual({
      content: [{ type: 'text', text: 'survey as a task' }],
      _meta: { [related]: { taskId } },
    })
    expect((await session.ask('tasks/get', { taskId })).result).toMatchObject({ taskId, status: 'completed' })
    expect((await session.ask('tasks/list', {})).result.tasks).toStrictEqual([
      expect.objectContaining({ taskId, status: 'completed' }),
    ])
    expect((await session.ask('tasks/cancel', { taskId })).error.code).toBe(-32602)
  })

  const refused: [string, string, object, object][] = [
    ['a task of a tool without', 'tools/call', { name: 'plain', task: {} }, { code: -32601 }],
    ['a call of a tool that runs as a task only', 'tools/call', { name: 'harvest' }, { code: -32601 }],
    ['a task that is not an object', 'tools/call', { name: 'survey', task: 'yes' }, { code: -32602 }],
    ['a time that is not a number', 'tools/call', { name: 'survey', task: { ttl: 'long' } }, { code: -32602 }],
    ['a time below zero', 'tools/call', { name: 'survey', task: { ttl: -1 } }, { code: -32602 }],
    ['an unknown tool', 'tools/call', { name: 'nothing', task: {} }, { code: -32602 }],
    ['an unknown task', 'tasks/get', { taskId: 'x' }, { code: -32602 }],
    ['no task', 'tasks/result', {}, { code: -32602 }],
    ['an object for a task', 'tasks/cancel', { taskId: { $ne: 1 } }, { code: -32602 }],
    ['an unknown cursor', 'tasks/list', { cursor: '../x' }, { code: -32602 }],
  ]
  test.each(refused)('refuses %s', async (_, method, params, error) => {
    const { session } = await opened()
    expect((await session.ask(method, params)).error).toMatchObject(error)
  })

  test('runs tools as usual for clients of older revisions', async () => {
    const { session } = await opened('2025-06-18')
    expect((await session.ask('tools/call', { name: 'harvest', task: {} })).result.content[0].text).toBe(
      'harvested',
    )
    expect((await session.ask('tasks/list', {})).error.code).toBe(-32601)
    const { result } = await session.ask('tools/list', {})
    expect(result.tools.every(({ execution }: Loose) => execution === undefined)).toBe(true)
  })

  test('runs with the identity that started it, no matter who calls later in the same session', async () => {
    const who = tool('who', {
      about: 'x',
      effect: 'read',
      task: 'optional',
      run: (_, call) => String(call.identity?.scopes),
    })
    const session = new RawSession(defineKit({ name: 'k', version: '1', parts: [who] }))
    await session.initialize('2025-11-25')
    const by = (...scopes: string[]) => ({ subject: 'ada', scopes, claims: {} })
    const send = (id: number, method: string, params: object, identity: Loose) =>
      session.engine.receive({ jsonrpc: '2.0', id, method, params } as Loose, identity)
    send(50, 'tools/call', { name: 'who', task: {} }, by('read'))
    send(51, 'ping', {}, by('read', 'write'))
    const { taskId } = (await session.until(({ id }) => id === 50)).result.task
    expect((await session.ask('tasks/result', { taskId })).result.content[0].text).toBe('read')
  })

  test('reports the cause of a failure', async () => {
    const { session } = await opened()
    const { taskId } = (await start(session, 'fails')).result.task
    expect((await session.ask('tasks/result', { taskId })).result).toMatchObject({ isError: true })
    expect((await session.ask('tasks/get', { taskId })).result).toMatchObject({
      status: 'failed',
      statusMessage: 'No honey.',
    })
  })

  test('reports status, and progress on the original token, both with the related task', async () => {
    const { session } = await opened()
    const { taskId } = (await start(session, 'holds', { _meta: { progressToken: 'p' } })).result.task
    await settled()
    const sent = session.sent.filter(({ method }) => method?.startsWith('notifications/'))
    expect(sent).toStrictEqual(
      expect.arrayContaining([
        expect.objectContaining({
          method: 'notifications/progress',
          params: {
            progressToken: 'p',
            progress: 3,
            total: 12,
            message: 'ML-03',
            _meta: { [related]: { taskId } },
          },
        }),
        expect.objectContaining({
          method: 'notifications/tasks/status',
          params: expect.objectContaining({ taskId, status: 'working', statusMessage: 'ML-03' }),
        }),
      ]),
    )
    free()
    expect((await session.ask('tasks/result', { taskId })).result.content[0].text).toBe('held')
  })

  test('cancels: the signal aborts, the status is kept, the result is an error', async () => {
    const { session } = await opened()
    const { taskId } = (await start(session, 'hangs')).result.task
    await settled()
    const waiting = session.ask('tasks/result', { taskId })
    expect((await session.ask('tasks/cancel', { taskId })).result).toMatchObject({ taskId, status: 'cancelled' })
    expect((await waiting).error.message).toBe('The task was cancelled')
    await settled()
    expect((await session.ask('tasks/get', { taskId })).result.status).toBe('cancelled')
    expect(session.reports).toStrictEqual([])
  })

  test('removes a task after its time to live, and answers requests that wait for it', async () => {
    const { session } = await opened()
    const { taskId } = (await start(session, 'hangs', { task: { ttl: 30 } })).result.task
    expect((await session.ask('tasks/result', { taskId })).error).toMatchObject({
      code: -32602,
      message: expect.stringContaining('expired'),
    })
    expect((await session.ask('tasks/get', { taskId })).error.code).toBe(-32602)
  })

  test('asks the person at once within one process, with the related task', async () => {
    const { session } = await opened()
    const { taskId } = (await start(session, 'asks')).result.task
    await settled()
    const question = session.sent.find(({ method }) => method === 'elicitation/create')
    expect(question.params._meta).toStrictEqual({ [related]: { taskId } })
    expect((await session.ask('tasks/get', { taskId })).result.status).toBe('input_required')
    session.give({ jsonrpc: '2.0', id: question.id, result: { action: 'accept', content: { frames: 6 } } })
    expect((await session.ask('tasks/result', { taskId })).result.content[0].text).toBe('accept 6')
  })
})

describe('over HTTP', () => {
  const access = {
    authorizationServers: [],
    scopes: [],
    identify: ({ token }: Loose) => ({
      identity: { subject: token, issuer: 'i', clientId: undefined, scopes: [], claims: {} },
    }),
  }

  test('a question is sent on the stream of the client that waits for the result; a task outlives its session', async () => {
    const service = await serveHttp(kit())
    const onQuestion = () => ({ action: 'accept' as const, content: { frames: 7 } })
    const first = await connect(service.url, { onQuestion })
    const started = await first.start('asks')
    const long = await first.start('holds')
    await settled()
    expect(await started.status()).toMatchObject({ status: 'input_required' })
    expect((await started.result()).content[0]).toMatchObject({ text: 'accept 7' })
    expect(await first.tasks()).toStrictEqual([])
    await first.close()
    const second = await connect(service.url)
    const found = second.task(long.id ?? '')
    expect(await found.status()).toMatchObject({ status: 'working', statusMessage: 'ML-03' })
    const changes: string[] = []
    found.onStatus(({ status }) => changes.push(status))
    const result = found.result()
    await settled()
    free()
    expect((await result).content[0]).toMatchObject({ text: 'held' })
    await second.close()
    await service.close()
  })

  test('a server that shuts down waits for tasks, and names those it interrupted', async () => {
    const service = await serveHttp(kit(), { drainMs: 300 })
    const link = await connect(service.url)
    await link.start('hangs')
    await settled()
    expect((await service.close()).cut).toStrictEqual(['task of tool hangs'])
    await link.close()
  })

  test('only the identity that started a task sees it', async () => {
    const service = await serveHttp(kit(), { access: access as never })
    const by = (who: string) => connect(service.url, { headers: { authorization: `Bearer ${who}` } })
    const [ada, bea] = await Promise.all([by('a'), by('b')])
    const task = await ada.start('survey')
    expect((await ada.tasks()).map(({ taskId }) => taskId)).toStrictEqual([task.id])
    expect(await bea.tasks()).toStrictEqual([])
    const seen = bea.task(task.id ?? '')
    for (const look of [seen.status, seen.cancel, seen.result])
      await expect(look()).rejects.toThrow(/unknown or expired task/)
    expect((await task.result()).content[0]).toMatchObject({ text: 'survey as a task' })
    await Promise.all([ada.close(), bea.close()])
    await service.close()
  })
})

describe('a link', () => {
  test('starts, follows and cancels; progress continues after the first response', async () => {
    const link = await connect(kit())
    const progress: unknown[] = []
    const task = await link.start('holds', {}, { onProgress: (now) => progress.push(now), ttlMs: 5000 })
    const seen: Task[] = []
    task.onStatus((now) => seen.push(now))
    await settled()
    expect(progress).toStrictEqual([{ progress: 3, total: 12, message: 'ML-03' }])
    expect(seen.at(-1)).toMatchObject({ status: 'working', statusMessage: 'ML-03', ttl: 5000 })
    free()
    expect((await task.result()).content[0]).toMatchObject({ text: 'held' })
    await settled()
    expect(seen.at(-1)?.status).toBe('completed')
    const other = await link.start('hangs')
    await settled()
    expect(await other.cancel()).toMatchObject({ status: 'cancelled' })
    await expect(other.result()).rejects.toThrow('The task was cancelled')
    await link.close()
  })

  test('calls a task-only tool as a task, and makes an ordinary call if there are no tasks', async () => {
    const link = await connect(kit())
    expect((await link.call('harvest')).content[0]).toMatchObject({ text: 'harvested' })
    await link.close()
    const older = await connect(kit(), { revision: '2025-06-18' })
    const task = await older.start('survey')
    expect(task.id).toBeUndefined()
    expect((await task.result()).content[0]).toMatchObject({ text: 'survey at once' })
    expect(await task.status()).toMatchObject({ status: 'completed' })
    await older.close()
  })

  test('runs questions of a server as its own tasks', async () => {
    const sent: Loose[] = []
    let receive: (message: Loose) => void = () => {}
    const { Link } = await import('../../src/link/link.js')
    const wire = {
      label: 'trial',
      start: (handlers: Loose) => {
        receive = handlers.receive
      },
      send: (message: Loose) => {
        sent.push(message)
        if (message.method === 'initialize')
          queueMicrotask(() =>
            receive({
              jsonrpc: '2.0',
              id: message.id,
              result: { protocolVersion: '2025-11-25', capabilities: {}, serverInfo: { name: 's', version: '1' } },
            }),
          )
      },
      close: () => {},
    }
    const link = await Link.open(wire, { onQuestion: async () => ({ action: 'accept', content: { frames: 8 } }) })
    expect(sent[0].params.capabilities.tasks).toStrictEqual({
      list: {},
      cancel: {},
      requests: { elicitation: { create: {} } },
    })
    const ask = async (id: number, method: string, params: object): Promise<Loose> => {
      receive({ jsonrpc: '2.0', id, method, params })
      for (;;) {
        const answer = sent.find((message) => message.id === id && !message.method)
        if (answer) return answer
        await settled()
      }
    }
    const requestedSchema = { type: 'object', properties: { frames: { type: 'integer' } } }
    const { result } = await ask(11, 'elicitation/create', {
      message: 'How many?',
      requestedSchema,
      task: { ttl: 1000 },
    })
    const { taskId } = result.task
    expect((await ask(12, 'tasks/result', { taskId })).result).toStrictEqual({
      action: 'accept',
      content: { frames: 8 },
      _meta: { [related]: { taskId } },
    })
    expect((await ask(13, 'tasks/list', {})).result.tasks).toHaveLength(1)
    expect((await ask(14, 'tasks/cancel', { taskId })).error.code).toBe(-32602)
    await link.close()
  })
})

test('the command waits with progress, prints an id, lists, shows, waits and cancels', async () => {
  const identify = () => ({ identity: { subject: 'ada', scopes: [], claims: {} } })
  const service = await serveHttp(kit(), { access: { authorizationServers: [], scopes: [], identify } })
  const { url } = service
  const waited = await jexo('call', url, 'harvest', '--task')
  expect(waited).toMatchObject({
    code: 0,
    stdout: 'harvested\n',
    stderr: expect.stringContaining(`jexo tasks ${url} wait`),
  })
  const { stdout } = await jexo('call', url, 'holds', '--task', '--no-wait')
  const id = stdout.trim()
  expect((await jexo('tasks', url)).stdout).toMatch(new RegExp(`  completed\\n${id}  working  ML-03\\n$`))
  expect((await jexo('tasks', url, 'show', id)).stdout).toContain('message     ML-03')
  const waiting = jexo('tasks', url, 'wait', id)
  await settled()
  free()
  expect(await waiting).toMatchObject({ code: 0, stdout: 'held\n' })
  expect(await jexo('tasks', url, 'cancel', id)).toMatchObject({
    code: 1,
    stderr: expect.stringContaining('completed already'),
  })
  expect(await jexo('tasks', url, 'wait')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining(`jexo tasks ${url} lists them`),
  })
  expect((await jexo('show', url)).stdout).toMatch(/harvest {2}reads, runs as a task/)
  await service.close()
})

test('the number of running and kept tasks is bounded, and the list has pages', async () => {
  const board = new TaskBoard(() => {}, { most: 3, mostWorking: 2, pageSize: 2 })
  const { session } = await opened()
  const incoming = { id: 1, method: 'tools/call', params: {} } as never
  const create = (work: () => unknown) =>
    board.create({ incoming, ttlMs: 60_000, owner: 'o', peer: session.engine, work }) as Task
  create(() => new Promise(() => {}))
  create(() => new Promise(() => {}))
  expect(() => create(() => ({}))).toThrow(/2 tasks are working already/)
  for (const { task } of board.working) board.cancel(task.taskId, 'o')
  const { taskId } = create(() => ({}))
  await settled()
  create(() => ({}))
  await settled()
  const page = await board.list('o', undefined)
  expect(page.tasks).toHaveLength(2)
  expect(page.tasks[1]?.taskId).toBe(taskId)
  expect((await board.list('o', page.nextCursor)).tasks).toHaveLength(1)
  expect((await board.list('other', undefined)).tasks).toStrictEqual([])
  board.close()

  const small = new TaskBoard(() => {}, { mostCharacters: 1000 })
  const large = () =>
    small.create({
      incoming,
      ttlMs: 60_000,
      owner: 'o',
      peer: session.engine,
      work: () => ({ text: 'x'.repeat(600) }),
    }) as Task
  const [first, second] = [large(), large()]
  await settled()
  expect(() => small.get(first.taskId, 'o')).toThrow(/expired/)
  expect((await small.get(second.taskId, 'o')).status).toBe('completed')
  small.close()
})
