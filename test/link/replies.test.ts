import { KeptLists } from '../../src/link/lists.js'
import type { LinkOptions } from '../../src/link/options.js'
import { clientCapabilities, respondToServer } from '../../src/link/server-requests.js'
import { troubleIn, waitBefore } from '../../src/link/trouble.js'
import { ResponseLost } from '../../src/link/wire.js'
import { newestRevision } from '../../src/protocol/revisions.js'
import { RpcError } from '../../src/protocol/rpc-error.js'

describe('a list', () => {
  const opened = (pages: (params: { cursor?: unknown } | undefined) => object) => {
    const asked: unknown[] = []
    const lists = new KeptLists()
    const ask = async (params: object | undefined) => {
      asked.push(params)
      return pages(params) as never
    }
    const read = (mayKeep = true) => lists.read(ask as never, 'tools/list', 'tools', mayKeep)
    return { asked, lists, read }
  }

  test('has the items of all pages, and is kept as a copy if the server announces changes', async () => {
    const { asked, lists, read } = opened((params) =>
      params === undefined ? { tools: [1], nextCursor: 'a' } : { tools: [2], nextCursor: null },
    )
    const first = await read()
    expect(first).toStrictEqual([1, 2])
    expect(asked).toStrictEqual([undefined, { cursor: 'a' }])
    first.push(3)
    expect(await read()).toStrictEqual([1, 2])
    expect(asked).toHaveLength(2)
    lists.forget(['prompts/list'])
    await read()
    expect(asked).toHaveLength(2)
    lists.forget()
    await read(false)
    await read(false)
    expect(asked).toHaveLength(6)
  })

  test('that fails is requested again', async () => {
    let isBroken = true
    const { read } = opened(() => (isBroken ? { tools: 'x' } : { tools: [1] }))
    await expect(read()).rejects.toMatchObject({
      code: 'response-malformed',
      message: expect.stringContaining('"tools" is not an array'),
    })
    isBroken = false
    expect(await read()).toStrictEqual([1])
  })

  test('has 100,000 entries, 64 million characters after its first page, and 1,000 pages at most', async () => {
    const many = (count: number) => ({ tools: Array(count).fill(0) })
    expect(await opened(() => many(100_000)).read()).toHaveLength(100_000)
    await expect(opened(() => many(100_001)).read()).rejects.toThrow(/more than 100000 entries/)
    const large = (characters: number) => {
      const tools = ['x'.repeat(characters - 4)]
      return opened((params) => (params ? { tools } : { tools, nextCursor: 'a' }))
    }
    expect(await large(64_000_000).read()).toHaveLength(2)
    await expect(large(64_000_001).read()).rejects.toThrow(/64000000 characters/)
    const endless = (pages: number) => {
      let count = 0
      return opened(() => ({ tools: [], ...(++count < pages ? { nextCursor: count } : {}) }))
    }
    expect(await endless(1001).read()).toStrictEqual([])
    await expect(endless(1002).read()).rejects.toThrow(/cursors never end/)
    await expect(opened(() => ({ tools: [], nextCursor: 'same' })).read()).rejects.toThrow(/cursors never end/)
  })
})

test.each<[string, unknown, object | undefined]>([
  ['a lost response', new ResponseLost('gone'), { isUndone: false, tries: 6 }],
  ['503', { status: 503 }, { isUndone: true, tries: 6 }],
  ['502', { status: 502 }, { isUndone: false, tries: 6 }],
  ['500', { status: 500 }, undefined],
  ['a refused connection', { code: 'ECONNREFUSED' }, { isUndone: true, tries: 3 }],
  ['a connection that was reset', { code: 'ECONNRESET' }, { isUndone: false, tries: 3 }],
  ['a broken pipe', { code: 'EPIPE' }, { isUndone: false, tries: 3 }],
  ['a closed socket', { cause: { code: 'UND_ERR_SOCKET' } }, { isUndone: false, tries: 3 }],
  ['another error', { code: 'ENOENT' }, undefined],
  ['no error', undefined, undefined],
])('the request is sent again after %s', (_what, error, expected) => {
  expect(troubleIn(error)).toStrictEqual(expected)
})

test('the waiting time doubles up to four seconds', () => {
  expect([0, 1, 2, 3, 4, 5].map(waitBefore)).toStrictEqual([250, 500, 1000, 2000, 4000, 4000])
})

describe('a request of a server', () => {
  const respond = async (method: string, params: object, options: LinkOptions) => {
    const incoming = { method, params, id: 7, signal: new AbortController().signal }
    const tasks = { get: () => 'get', list: () => 'list', cancel: () => 'cancel', result: () => 'result' }
    return respondToServer(incoming as never, {
      revision: newestRevision,
      options,
      tasks: tasks as never,
      notify: () => {},
    })
  }
  const refused = async (method: string, params: object, options: LinkOptions) => {
    try {
      await respond(method, params, options)
      return 'accepted'
    } catch (error) {
      return `${(error as RpcError).code} ${(error as Error).message}`
    }
  }
  const reply = { role: 'assistant', model: 'm', content: { type: 'text', text: 'Yes' } } as const
  const hi = { messages: [{ role: 'user', content: { type: 'text', text: 'Hi' } }], maxTokens: 5 }
  const withModel = { onModelRequest: async () => reply } as LinkOptions
  const withPerson = { onQuestion: async () => ({ action: 'accept' as const, content: { kg: 4 } }) } as LinkOptions
  const form = {
    message: 'How heavy?',
    requestedSchema: {
      type: 'object',
      properties: { kg: { type: 'number' }, note: { type: 'string', default: 'none' } },
    },
  }

  test.each<[string, object, LinkOptions, unknown]>([
    ['ping', {}, {}, {}],
    ['roots/list', {}, { roots: [{ uri: 'file:///a' }] }, { roots: [{ uri: 'file:///a' }] }],
    ['sampling/createMessage', hi, withModel, reply],
    ['elicitation/create', form, withPerson, { action: 'accept', content: { note: 'none', kg: 4 } }],
    ['elicitation/create', form, { onQuestion: async () => ({ action: 'decline' }) }, { action: 'decline' }],
    ['elicitation/create', form, { onQuestion: (async () => undefined) as never }, { action: 'cancel' }],
    [
      'elicitation/create',
      { mode: 'url', message: 'x', url: 'HTTPS://id.example/', elicitationId: 'e' },
      withPerson,
      { action: 'accept' },
    ],
    ['tasks/get', { taskId: 't' }, withPerson, 'get'],
    ['tasks/list', {}, withPerson, 'list'],
    ['tasks/cancel', { taskId: 't' }, withModel, 'cancel'],
    ['tasks/result', { taskId: 't' }, withModel, 'result'],
  ])('%s %j gets its result', async (method, params, options, expected) => {
    expect(await respond(method, params, options)).toStrictEqual(expected)
  })

  test.each<[string, object, LinkOptions, RegExp]>([
    ['roots/list', {}, {}, /^-32601/],
    ['sampling/createMessage', hi, {}, /^-32601/],
    ['elicitation/create', form, {}, /^-32601/],
    ['tasks/get', {}, {}, /^-32601/],
    ['tasks/list', {}, { roots: [] }, /^-32601/],
    ['tasks/cancel', {}, {}, /^-32601/],
    ['tasks/result', {}, {}, /^-32601/],
    ['tools/list', {}, { ...withModel, ...withPerson, roots: [] }, /^-32601/],
    ['sampling/createMessage', { ...hi, messages: 'x' }, withModel, /^-32602 .*"messages" must be an array/],
    [
      'sampling/createMessage',
      { ...hi, messages: [{ role: 'model' }] },
      withModel,
      /^-32602 .*role user or assistant/,
    ],
    ['sampling/createMessage', { ...hi, maxTokens: 1.5 }, withModel, /^-32602 .*"maxTokens" must be an integer/],
    ['sampling/createMessage', hi, { onModelRequest: () => Promise.reject(new Error('not now')) }, /^-1 not now/],
    [
      'sampling/createMessage',
      hi,
      { onModelRequest: () => Promise.reject(new RpcError(-32000, 'own')) },
      /^-32000 own/,
    ],
    [
      'elicitation/create',
      form,
      { onQuestion: async () => ({ action: 'accept', content: { kg: 'x' } }) },
      /^-32603 .*kg: /,
    ],
    ['elicitation/create', { ...form, message: 5 }, withPerson, /"message" must be a string/],
    [
      'elicitation/create',
      { mode: 'url', message: 'x', url: 'ftp://x', elicitationId: 'e' },
      withPerson,
      /http or https URL/,
    ],
    [
      'elicitation/create',
      { mode: 'url', message: 'x', url: 'http://[', elicitationId: 'e' },
      withPerson,
      /http or https URL/,
    ],
    [
      'elicitation/create',
      { mode: 'url', message: 'x', url: 5, elicitationId: 'e' },
      withPerson,
      /http or https URL/,
    ],
  ])('%s %j is refused', async (method, params, options, expected) => {
    expect(await refused(method, params, options)).toMatch(expected)
  })

  test('is passed to another client if that declared the capability', async () => {
    const asked: unknown[] = []
    const passTo = {
      capabilities: { roots: {} },
      ask: async (...all: unknown[]) => {
        asked.push(all.slice(0, 2))
        return { roots: [] }
      },
    } as never
    expect(clientCapabilities(newestRevision, { passTo })).toStrictEqual({ roots: {} })
    expect(await respond('roots/list', { a: 1 }, { passTo })).toStrictEqual({ roots: [] })
    expect(asked).toStrictEqual([['roots/list', { a: 1 }]])
    for (const method of ['sampling/createMessage', 'tasks/get', 'toString'])
      expect(await refused(method, {}, { passTo })).toMatch(/^-32601/)
  })
})

test('upstream records and views are declared for links that want them', () => {
  const declared = clientCapabilities(newestRevision, { onUpstream: () => {}, views: true } as never)
  expect(Object.keys(declared)).toStrictEqual(['experimental', 'extensions'])
  expect(Object.values(declared.experimental ?? {})).toStrictEqual([{}])
})
