import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import type { Loose } from '../support/raw-session.js'

const hello = (message: Loose, more: object = {}) => ({
  jsonrpc: '2.0',
  id: message.id,
  result: {
    protocolVersion: '2025-11-25',
    capabilities: { tools: {} },
    serverInfo: { name: 'odd', version: '1' },
    ...more,
  },
})
const good = (message: Loose) => ({ jsonrpc: '2.0', id: message.id, result: { content: [] } })
const fine = { content: [] }

/** A faulty call of the tool `bad`, and what a link must make of it. */
type Row = [what: string, bad: (message: Loose) => unknown[], then: 'answer' | RegExp]

/** The messages of a server for a call of `bad`; a string is sent unchanged. */
const rows: Row[] = [
  ['an answer under another id first', (m) => [{ ...good(m), id: 9999 }, good(m)], 'answer'],
  ['an answer under the id as a text first', (m) => [{ ...good(m), id: String(m.id) }, good(m)], 'answer'],
  ['its answer twice', (m) => [good(m), good(m)], 'answer'],
  [
    'another answer afterwards',
    (m) => [good(m), { jsonrpc: '2.0', id: m.id, error: { code: 1, message: 'x' } }],
    'answer',
  ],
  ['garbage before the answer', (m) => ['{"jsonrpc":', good(m)], 'answer'],
  ['a text, a number and null before the answer', (m) => ['"x"', '7', 'null', good(m)], 'answer'],
  ['both a result and an error', (m) => [{ ...good(m), error: { code: 1, message: 'x' } }, good(m)], 'answer'],
  ['an error without a code first', (m) => [{ jsonrpc: '2.0', id: m.id, error: {} }, good(m)], 'answer'],
  [
    'a result that is not an object first',
    (m) => [{ jsonrpc: '2.0', id: m.id, result: 'done' }, good(m)],
    'answer',
  ],
  ['jsonrpc 1.0 first', (m) => [{ ...good(m), jsonrpc: '1.0' }, good(m)], 'answer'],
  [
    'an error with id null',
    (m) => [{ jsonrpc: '2.0', id: null, error: { code: -32700, message: 'x' } }, good(m)],
    'answer',
  ],
  ['an error without id', (m) => [{ jsonrpc: '2.0', error: { code: -32700, message: 'x' } }, good(m)], 'answer'],
  [
    'unrequested progress',
    (m) => [
      { jsonrpc: '2.0', method: 'notifications/progress', params: { progressToken: 77, progress: 1 } },
      good(m),
    ],
    'answer',
  ],
  [
    'progress without a number',
    (m) => [{ jsonrpc: '2.0', method: 'notifications/progress', params: { progressToken: m.id } }, good(m)],
    'answer',
  ],
  [
    'notifications with no or odd parameters',
    (m) => [
      { jsonrpc: '2.0', method: 'notifications/message' },
      { jsonrpc: '2.0', method: 'notifications/resources/updated', params: { uri: 5 } },
      { jsonrpc: '2.0', method: 'notifications/cancelled' },
      { jsonrpc: '2.0', method: 'notifications/cancelled', params: { requestId: m.id } },
      { jsonrpc: '2.0', method: 'notifications/never/heard/of', params: {} },
      good(m),
    ],
    'answer',
  ],
  [
    'a question that was not declared',
    (m) => [{ jsonrpc: '2.0', id: 's1', method: 'elicitation/create', params: {} }, good(m)],
    'answer',
  ],
  [
    'unknown fields and a tool result of a later revision',
    (m) => [{ ...good(m), extra: 1, result: { content: [], isError: false, resultType: 'complete' } }],
    'answer',
  ],
  ['no content', (m) => [{ jsonrpc: '2.0', id: m.id, result: {} }], /"content" is not an array/],
  [
    'content that is not an array',
    (m) => [{ jsonrpc: '2.0', id: m.id, result: { content: {} } }],
    /"content" is not an array/,
  ],
  [
    'an error with a non-standard code',
    (m) => [{ jsonrpc: '2.0', id: m.id, error: { code: 418, message: 'a teapot', data: { x: 1 } } }],
    /a teapot/,
  ],
  ['nothing at all', () => [], /no response to tools\/call within 400 ms|without the response/],
]

/** A server that initializes and lists correctly, and responds to a call of `bad` as its row says. */
function answersTo(message: Loose, bad: Row[1]): unknown[] {
  if (message.method === 'initialize') return [hello(message)]
  if (message.id === undefined || message.method === undefined) return []
  if (message.method === 'tools/call' && message.params.name === 'bad') return bad(message)
  return [good(message)]
}

async function bodyOf(request: IncomingMessage): Promise<Loose> {
  let text = ''
  for await (const chunk of request) text += chunk
  return text === '' ? {} : JSON.parse(text)
}

async function served(handle: (request: IncomingMessage, response: ServerResponse, body: Loose) => void) {
  const server = createServer(
    (request, response) => void bodyOf(request).then((body) => handle(request, response, body)),
  )
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/mcp`,
    end: async () => {
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

const asText = (value: unknown) => (typeof value === 'string' ? value : JSON.stringify(value))

const overStreams = (bad: Row[1]) =>
  served((request, response, body) => {
    if (request.method !== 'POST') return response.writeHead(request.method === 'GET' ? 405 : 200).end()
    const answers = answersTo(body, bad)
    if (body.id === undefined || body.method === undefined) return response.writeHead(202).end()
    response.writeHead(200, { 'content-type': 'text/event-stream', 'mcp-session-id': 'one' })
    response.end(answers.map((answer) => `data: ${asText(answer)}\n\n`).join(''))
  })

/** The same as a child process, which receives the function of the row as source code. */
const childOf = (bad: Row[1]) => ({
  command: process.execPath,
  args: [
    '-e',
    `const good = ${good}; const hello = ${hello}; const bad = ${bad}; const answersTo = ${answersTo}; const asText = ${asText}
     require('node:readline').createInterface({ input: process.stdin }).on('line', (line) => {
       for (const answer of answersTo(JSON.parse(line), bad)) console.log(asText(answer))
     })`,
  ],
})

/** Short time limits only for missing responses; a busy machine may be slow with all others. */
const patienceFor = (then: RegExp | 'answer') => ({
  timeoutMs: then !== 'answer' && then.source.includes('within 400 ms') ? 400 : 30_000,
})

const ways: [string, (bad: Row[1]) => Promise<{ link: Link; end: () => Promise<void> }>][] = [
  ['a child', async (bad) => ({ link: await connect(childOf(bad)), end: async () => {} })],
  [
    'an HTTP stream',
    async (bad) => {
      const { url, end } = await overStreams(bad)
      return { link: await connect(url), end }
    },
  ],
]

describe.each(ways)('a server that is %s and sends', (_way, open) => {
  test.each(rows)('%s affects only itself', async (_what, bad, then) => {
    const { link, end } = await open(bad)
    try {
      const called = link.call('bad', {}, patienceFor(then))
      if (then === 'answer') expect((await called).content).toStrictEqual([])
      else await expect(called).rejects.toThrow(then)
      expect(await link.call('good')).toStrictEqual(fine)
    } finally {
      await link.close()
      await end()
    }
  })
})

type Handle = (message: Loose, response: ServerResponse) => void
const answered = (status: number, type: string, body: string) => (_m: Loose, response: ServerResponse) =>
  void response.writeHead(status, { 'content-type': type }).end(body)

/** Other HTTP responses to a call, below the messages. */
const httpRows: [what: string, handle: Handle, says: RegExp][] = [
  ['a page', answered(200, 'text/html', '<h1>Login</h1>'), /came with text\/html/],
  ['a page with an error status', answered(502, 'text/html', '<h1>Bad gateway</h1>'), /HTTP 502/],
  ['cut JSON', answered(200, 'application/json', '{"jsonrpc":"2.0",'), /is not JSON/],
  ['an empty body', answered(200, 'application/json', ''), /is not JSON/],
  ['JSON that is not a response', answered(200, 'application/json', '{"ok":true}'), /another message/],
  [
    'the answer to something else',
    answered(200, 'application/json', '{"jsonrpc":"2.0","id":777,"result":{}}'),
    /another message/,
  ],
  ['202', answered(202, 'text/plain', ''), /HTTP 202 came with/],
  ['a stream without events', answered(200, 'text/event-stream', ''), /without the response/],
  ['a stream of comments', answered(200, 'text/event-stream', ': nothing\n\n'), /without the response/],
  [
    '500 with a JSON-RPC error',
    (m, r) =>
      answered(
        500,
        'application/json',
        JSON.stringify({ jsonrpc: '2.0', id: m.id, error: { code: -32603, message: 'broken inside' } }),
      )(m, r),
    /broken inside/,
  ],
  ['401', answered(401, 'application/json', '{"error":"nope"}'), /HTTP 401/],
  ['a connection that is cut', (_m, response) => void response.socket?.destroy(), /no connection/],
  [
    'a body that breaks off',
    (_m, response) => {
      response.writeHead(200, { 'content-type': 'application/json', 'content-length': '500' })
      response.write('{"jsonrpc"', () => response.socket?.destroy())
    },
    /terminated|aborted|no connection/,
  ],
  ['silence', () => {}, /within 400 ms/],
  [
    'a stream that stays silent',
    (_m, response) => void response.writeHead(200, { 'content-type': 'text/event-stream' }).write(': here\n\n'),
    /within 400 ms/,
  ],
  [
    'a redirect to nowhere',
    (_m, response) => void response.writeHead(307, { location: 'http://127.0.0.1:9/' }).end(),
    /no connection/,
  ],
]

describe('an HTTP server that responds with', () => {
  test.each(httpRows)('%s affects only that call', async (_what, handle, says) => {
    const { url, end } = await served((request, response, body) => {
      if (request.method !== 'POST') return response.writeHead(request.method === 'GET' ? 405 : 200).end()
      if (body.method === 'tools/call' && body.params.name === 'bad') return handle(body, response)
      if (body.id === undefined) return response.writeHead(202).end()
      response.writeHead(200, { 'content-type': 'application/json', 'mcp-session-id': 'one' })
      response.end(JSON.stringify(body.method === 'initialize' ? hello(body) : good(body)))
    })
    const link = await connect(url)
    await expect(link.call('bad', {}, patienceFor(says))).rejects.toThrow(says)
    expect(await link.call('good')).toStrictEqual(fine)
    await link.close()
    await end()
  })
})

/** Servers that never open a session. */
const greetings: [what: string, answer: (message: Loose) => unknown, says: RegExp][] = [
  [
    'an unknown revision',
    (m) => hello(m, { protocolVersion: '2099-01-01' }),
    /uses protocol revision "2099-01-01"/,
  ],
  ['no revision', (m) => hello(m, { protocolVersion: undefined }), /uses protocol revision/],
  ['no capabilities', (m) => hello(m, { capabilities: undefined }), /"capabilities" and "serverInfo"/],
  ['no name', (m) => hello(m, { serverInfo: null }), /"capabilities" and "serverInfo"/],
  ['an error', (m) => ({ jsonrpc: '2.0', id: m.id, error: { code: -32603, message: 'not today' } }), /not today/],
]

describe('a server whose initialize response is', () => {
  test.each(greetings)('%s is distinguished from a working one', async (_what, answer, says) => {
    const script = `const hello = ${hello}; const answer = ${answer}
      require('node:readline').createInterface({ input: process.stdin })
        .on('line', (line) => console.log(JSON.stringify(answer(JSON.parse(line)))))`
    await expect(connect({ command: process.execPath, args: ['-e', script] }, { timeoutMs: 5000 })).rejects.toThrow(
      says,
    )
  })

  test.each([
    ['an end', 'process.exit(3)', /with code 3/],
    ['last words', 'console.error("no licence"); process.exit(1)', /no licence/],
    ['half a message', 'process.stdout.write(`{"jsonrpc":"2.0"`); process.exit(0)', /with code 0/],
    ['a closed stdout', 'require("fs").closeSync(1); setTimeout(() => process.exit(5), 200)', /with code 5/],
  ])('%s is reported with its output', async (_what, script, says) => {
    await expect(connect({ command: process.execPath, args: ['-e', script] })).rejects.toThrow(says)
  })
})
