import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import type { Link } from 'jexo/link'
import { connect } from 'jexo/node'
import { tokensIn } from '../../src/context-cost/context-cost.js'
import { answersFrom } from '../../src/link/answerers.js'
import { fitOf } from '../../src/loupe/fit.js'
import { foreignValidator } from '../../src/transport/foreign-validator.js'
import { bin, jexo, root, run } from '../support/cli.js'

/** Messages that a server can send to a client. Each is refused or bounded, and the client continues. */
const server = join(root, 'test/support/hostile-server.mjs')
const target = `exec:"${process.execPath}" "${server}"`
const inTime = async <T>(ms: number, run: () => Promise<T>): Promise<T> => {
  const start = performance.now()
  const result = await run()
  expect(performance.now() - start).toBeLessThan(ms)
  return result
}

const withoutColours = (text: string) => text.replace(/\p{Cc}\[\d+m/gu, '')

const commands: readonly (readonly string[])[] = [
  ['show', target],
  ['show', target, '--json'],
  ['call', target, 'evil_text'],
  ['call', target, 'evil_error'],
  ['call', target, 'evil_unknown'],
  ['read', target, 'evil://x'],
  ['vet', target],
  ['call', target, 'evil_ask', '--answers', 'accept'],
]
test.each(commands)('the terminal obeys no control characters of a server: jexo %s %s %s', async (...words) => {
  // Every other command is a process of its own, with colours: then our own are the only control sequences.
  const hasColours = commands.findIndex((command) => command.join() === words.join()) % 2 === 0
  const env = { ...process.env, FORCE_COLOR: '1' } as Record<string, string>
  const { stdout, stderr } = await inTime(20_000, () =>
    hasColours ? run(process.execPath, [bin, ...words], { env }) : jexo(...words),
  )
  const printed = hasColours ? withoutColours(stdout + stderr) : stdout + stderr
  expect(printed.replace(/[\n\t]/g, '').match(/[\p{Cc}\u202a-\u202e]/u)).toBeNull()
  expect(printed.length).toBeGreaterThan(40)
})

describe('over a link', () => {
  let link: Link
  beforeAll(async () => {
    link = await connect(
      { command: process.execPath, args: [server] },
      { onQuestion: answersFrom(Array.from({ length: 9 }, () => ({ action: 'accept' as const }))) },
    )
  })
  afterAll(() => link.close())
  const answerTo = async (tool: string, args = {}) =>
    ((await link.call(tool, args)).content[0] as { text: string }).text

  test('a question with a slow pattern is answered in time', async () => {
    expect(await inTime(3000, () => answerTo('evil_ask'))).toMatch(/does not match|accept/)
  })

  test.each([
    ['evil_deep', /response to tools\/call is invalid \(the JSON is nested more than 200 levels deep\)/],
    ['evil_reply', /response to tools\/call is invalid \(it is not a valid JSON-RPC response\)/],
  ])('an invalid response fails its call: %s', async (tool, reason) => {
    await inTime(3000, () => expect(link.call(tool)).rejects.toThrow(reason))
  })

  test.each([
    ['https://marsh.example/x', 'accept'],
    ['http://127.0.0.1:1/x', 'accept'],
    ['http://marsh.example/x', 'decline'],
    ['http://127.0.0.1.evil.example/', 'decline'],
    ['http://localhost.evil.example/', 'decline'],
    ['javascript:alert(1)', 'http or https'],
    ['file:///etc/passwd', 'http or https'],
    ['data:text/html,x', 'http or https'],
  ])('without a person, a request to open %s is answered with %s', async (url, answer) => {
    expect(await answerTo('evil_visit', { url })).toContain(answer)
  })

  test('a schema with $async neither accepts everything nor ends the process', async () => {
    const { structuredContent } = await link.call('evil_output')
    const tools = await link.tools()
    const found = await inTime(3000, () =>
      fitOf(
        { tools } as never,
        'tools/call',
        { name: 'evil_output' },
        { structuredContent: structuredContent as never, content: [] },
      ),
    )
    expect(found.issues?.length).toBeGreaterThan(0)
  })
})

const schemas: readonly (readonly [name: string, schema: object, value: unknown])[] = [
  [
    'a choice within a choice, for ever',
    {
      $defs: {
        a: {
          anyOf: [
            { type: 'object', properties: { a: { $ref: '#/$defs/a' } }, required: ['x'] },
            { type: 'object', properties: { a: { $ref: '#/$defs/a' } }, required: ['y'] },
          ],
        },
      },
      $ref: '#/$defs/a',
    },
    JSON.parse(`${'{"a":'.repeat(40)}1${'}'.repeat(40)}`),
  ],
  ['a reference to itself', { $ref: '#' }, {}],
  ['a megabyte of choices', { enum: Array.from({ length: 300_000 }, (_, at) => `x${at}`) }, 'y'],
]
test.each(schemas)('validation against a schema with %s is bounded', async (_name, schema, value) => {
  await inTime(20_000, async () => {
    const issues = await Promise.resolve(foreignValidator.prepare(schema as never)).then(
      (validate) => validate(value),
      () => [1],
    )
    expect(issues.length).toBeGreaterThan(0)
  })
})

test('an endless line closes the connection, and ends the server', async () => {
  const link = await connect({ command: process.execPath, args: [server] })
  await inTime(20_000, () =>
    expect(link.call('evil_endless')).rejects.toThrow(/sent a line of more than 67108864 bytes/),
  )
  await link.close()
})

test.each([
  ['one word', 'x'.repeat(300_000)],
  ['one symbol', '!'.repeat(300_000)],
  ['words', 'bee '.repeat(100_000)],
  ['one letter', '蜂'.repeat(100_000)],
])('the context cost of a description of %s is counted quickly', async (_name, text) => {
  expect(await inTime(3000, () => tokensIn(text))).toBeGreaterThan(1000)
})

describe('over HTTP', () => {
  const json = (response: ServerResponse, value: unknown) =>
    response.writeHead(200, { 'content-type': 'application/json' }).end(JSON.stringify(value))
  const opened = (id: unknown) => ({
    jsonrpc: '2.0',
    id,
    result: { protocolVersion: '2025-11-25', capabilities: { tools: {} }, serverInfo: { name: 'x', version: '1' } },
  })
  const seen: IncomingMessage[] = []
  let isClosed = false
  /** Each path misbehaves in its own way after it has answered `initialize`. */
  const ways: Record<
    string,
    (response: ServerResponse, message: { id: unknown; params?: { cursor?: string } }) => void
  > = {
    '/endless-json': (response) => {
      response
        .writeHead(200, { 'content-type': 'application/json' })
        .write('{"jsonrpc":"2.0","id":2,"result":{"tools":["')
      flood(response, 'x'.repeat(1_000_000))
    },
    '/endless-event': (response) => {
      response.writeHead(200, { 'content-type': 'text/event-stream' }).write('data: ')
      flood(response, 'x'.repeat(1_000_000))
    },
    '/endless-events': (response) => {
      response.writeHead(200, { 'content-type': 'text/event-stream' })
      flood(response, ': nothing\n\n'.repeat(10_000))
    },
    '/endless-pages': (response, { id, params }) =>
      json(response, {
        jsonrpc: '2.0',
        id,
        result: { tools: [], nextCursor: `${Number(params?.cursor ?? 0) + 1}` },
      }),
    '/endless-tools': (response, { id, params }) =>
      json(response, {
        jsonrpc: '2.0',
        id,
        result: {
          tools: Array.from({ length: 5000 }, () => ({ name: 'x', description: 'y'.repeat(300), inputSchema: {} })),
          nextCursor: `${Number(params?.cursor ?? 0) + 1}`,
        },
      }),
    '/redirect': (response) => void response.writeHead(307, { location: `http://localhost:${port}/stolen` }).end(),
    '/redirect-get': (response) => void response.writeHead(302, { location: '/endless-pages' }).end(),
  }
  function flood(response: ServerResponse, text: string): void {
    isClosed = false
    response.on('close', () => (isClosed = true))
    const more = () => {
      while (!response.destroyed && response.write(text));
      response.once('drain', more)
    }
    more()
  }
  const http = createServer((request, response) => {
    seen.push(request)
    const chunks: Buffer[] = []
    request.on('data', (chunk) => chunks.push(chunk))
    request.on('end', () => {
      if (request.method !== 'POST') return void response.writeHead(405).end()
      const message = JSON.parse(Buffer.concat(chunks).toString())
      if (message.method === 'initialize') return json(response, opened(message.id))
      if (message.id === undefined) return void response.writeHead(202).end()
      ways[request.url ?? '']?.(response, message)
    })
  })
  let port = 0
  beforeAll(async () => {
    await new Promise<void>((resolve) => http.listen(0, '127.0.0.1', resolve))
    port = (http.address() as AddressInfo).port
  })
  afterAll(() => {
    http.closeAllConnections()
    http.close()
  })
  const linkTo = (path: string, timeoutMs = 3000) =>
    connect(`http://127.0.0.1:${port}${path}`, { timeoutMs, headers: { authorization: 'Bearer secret' } })

  test.each(['/endless-json', '/endless-event', '/endless-events'])(
    '%s is not read on after the time-out',
    async (path) => {
      const link = await linkTo(path, 700)
      await inTime(6000, () => expect(link.tools()).rejects.toThrow())
      await new Promise((resolve) => setTimeout(resolve, 300))
      expect(isClosed).toBe(true)
      await link.close()
    },
  )

  test.each(['/endless-pages', '/endless-tools'])('%s end with an error', async (path) => {
    const link = await linkTo(path)
    await expect(link.tools()).rejects.toThrow(/cursors never end|more than/)
    await link.close()
  })

  test.each(['/redirect', '/redirect-get'])('headers are not sent on after %s', async (path) => {
    const link = await linkTo(path)
    seen.length = 0
    await expect(link.tools()).rejects.toThrow(/redirects to/)
    expect(seen.map(({ url }) => url)).not.toContain('/stolen')
    await link.close()
  })
})
